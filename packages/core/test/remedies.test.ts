/** Each remedy against the same done to individual runs, and what holds for all of them. */
import { expect } from 'chai'
import fc from 'fast-check'
import { REMEDY_KINDS, type RemedyKind } from '@lapsus/core/detect'
import {
  baseOf,
  forecastPlan,
  REMEDIES,
  type BarPanel,
  type NumberInput,
  type PlanItem,
} from '@lapsus/core/remedy'
import { expectWork, forecastOn, forecastOne, item, pathOf, totalOf, workOf } from './support/plans.ts'
import {
  randomFrom,
  run,
  runs,
  studyFrom,
  type Run,
  type TestFrame,
  type TestGame,
} from './support/studies.ts'

const MS = 1e6
const NPC = ['sim', 'npc']

interface NightOptions {
  frames?: number
  seed?: number
  /** All runs of a frame cost the same. */
  even?: boolean
}

/** Frames in which npcs run, some for nothing, with something inside; and a search now and then. */
function night({ frames = 120, seed = 1, even = false }: NightOptions = {}): TestFrame[] {
  const random = randomFrom(seed)
  return Array.from({ length: frames }, (_, frame) => {
    const each = Math.round(20_000 + 30_000 * random())
    const npcs = Array.from({ length: Math.floor(random() * 9) }, () =>
      run('npc', even ? each : Math.round(each * (0.5 + random())), {
        effect: random() < 0.4,
        bytes: Math.round(random() * 400),
        children: even ? [] : [run('look', Math.round(8_000 * random()))],
      }),
    )
    return {
      runs: [
        run('sim', 500_000, { children: [...npcs, ...(frame % 10 === 3 ? runs(6, 'search', 400_000) : [])] }),
        run('draw', 2 * MS),
      ],
      restNs: 10_000,
    }
  })
}

/** Drops the runs of a marker for which this is so. */
const without =
  (marker: string, isDropped: (one: Run, frame: number) => boolean) => (list: Run[], frame: number) =>
    list.filter((one) => one.marker !== marker || !isDropped(one, frame))

describe('remedies, against individual runs', () => {
  it('drop: no run is left, nor what was inside', () => {
    const frames = night()
    const { workNs, gainMsPerFrame } = forecastOne(frames, item('drop', NPC))
    const expected = workOf(
      frames,
      without('npc', () => true),
    )
    expectWork(workNs, expected)
    const lost = workOf(frames).reduce((sum, ns, i) => sum + ns - expected[i]!, 0)
    expect(gainMsPerFrame).to.be.closeTo(lost / frames.length / MS, 1e-9)
  })

  it('by hand: each run takes so many times what it took', () => {
    const frames = night()
    for (const factor of [0, 0.3, 1, 2.5]) {
      const scale = (one: Run): Run => ({
        ...one,
        selfNs: one.selfNs * factor,
        children: one.children?.map(scale),
      })
      const expected = workOf(frames, (list) => list.map((one) => (one.marker === 'npc' ? scale(one) : one)))
      expectWork(forecastOne(frames, item('by-hand', NPC, { factor })).workNs, expected)
    }
  })

  it('hoist: of runs with the same key and answer in a frame only the first', () => {
    const random = randomFrom(5)
    const frames: TestFrame[] = Array.from({ length: 60 }, () => ({
      runs: [
        run('rules', 1000, {
          children: Array.from({ length: 8 }, () =>
            run('test', Math.round(10_000 + 40_000 * random()), {
              key: 1 + Math.floor(random() * 3),
              effect: random() < 0.5,
            }),
          ),
        }),
      ],
    }))
    const { workNs } = forecastOne(frames, item('hoist', ['rules', 'test']))
    const expected = frames.map(({ runs: list }) => {
      const answers = new Map<number, boolean>()
      return list.reduce((sum, rules) => {
        const kept = rules.children!.filter(({ key, effect }) => {
          // An answer that changed must be asked for again.
          const isKnown = answers.get(key!) === effect
          answers.set(key!, effect!)
          return !isKnown
        })
        return sum + rules.selfNs + kept.reduce((total, one) => total + one.selfNs, 0)
      }, 0)
    })
    expectWork(workNs, expected)
  })

  it('react: only runs that changed something, and an announcement for each', () => {
    const varied = night()
    const needed = without('npc', ({ effect }) => effect === false)
    expectWork(forecastOne(varied, item('react', NPC, { dispatch: 0 })).workNs, workOf(varied, needed))
    const even = night({ even: true })
    const announced = (list: Run[], frame: number) =>
      needed(list, frame).map((one) => (one.marker === 'npc' ? { ...one, selfNs: one.selfNs + 3_000 } : one))
    expectWork(forecastOne(even, item('react', NPC, { dispatch: 3 })).workNs, workOf(even, announced))
  })

  it('react: to what a marker watches, where its runs say nothing', () => {
    const frames: TestFrame[] = Array.from({ length: 50 }, (_, i) => ({
      runs: [run('text', 700_000)],
      watches: { tally: [1, i % 7 === 0 ? 1 : 0] as [number, number] },
    }))
    const game: TestGame = { markers: { text: { watches: ['tally'] } } }
    const { workNs } = forecastOne(frames, item('react', ['text'], { dispatch: 5 }), game)
    expectWork(
      workNs,
      frames.map((_, i) => (i % 7 === 0 ? 700_000 + 5_000 : 0)),
    )
  })

  it('gate: a test for every run, the work where it passes', () => {
    const frames = night()
    const tested = (list: Run[]) =>
      list.map((one) =>
        one.marker !== 'npc'
          ? one
          : one.effect === true
            ? { ...one, selfNs: one.selfNs + 200 }
            : run('npc', 200),
      )
    const { workNs, inputs } = forecastOne(frames, item('gate', NPC, { test: 0.2 }))
    expectWork(workNs, workOf(frames, tested))
    expect(inputs.find(({ name }) => name === 'passes')!.origin).to.equal('measured')
  })

  it('cache: a read instead of a lookup, but for those that miss', () => {
    const frames = night({ even: true })
    const read = (list: Run[]) =>
      list.map((one) => (one.marker === 'npc' ? { ...one, selfNs: 50, children: [] } : one))
    expectWork(
      forecastOne(frames, item('cache', NPC, { misses: 0, read: 0.05 })).workNs,
      workOf(frames, read),
    )
    const half = forecastOne(frames, item('cache', NPC, { misses: 50, read: 0 })).workNs
    const [all, none] = [
      workOf(frames),
      workOf(
        frames,
        without('npc', () => true),
      ),
    ]
    expectWork(
      half,
      all.map((ns, i) => (ns + none[i]!) / 2),
    )
  })

  it('share: one run for each group, as many as are needed', () => {
    const frames = night({ even: true })
    const grouped = (list: Run[]) => {
      let seen = 0
      return list.filter((one) => one.marker !== 'npc' || seen++ % 3 === 0)
    }
    expectWork(forecastOne(frames, item('share', NPC, { group: 3 })).workNs, workOf(frames, grouped))
  })

  it('sleep: idle runs are dropped, for a wake test each', () => {
    const frames = night({ even: true })
    const slept = (list: Run[]) =>
      list.map((one) => (one.marker === 'npc' && one.effect === false ? run('npc', 40) : one))
    const parameters = { idle: 'needless', wake: 0.04, every: 1 }
    expectWork(forecastOne(frames, item('sleep', NPC, parameters)).workNs, workOf(frames, slept))
  })

  it('sleep: as updaters say, where runs say nothing', () => {
    const frames: TestFrame[] = Array.from({ length: 40 }, (_, i) => ({
      runs: [run('sim', 1000, { children: runs(10, 'npc', 50_000) })],
      updaters: { npcs: [10, 10, i % 6] as [number, number, number] },
    }))
    const game: TestGame = { classes: { npcs: 'npc' } }
    const { workNs, latencyFrames } = forecastOne(frames, item('sleep', NPC, { wake: 0, every: 4 }), game)
    expectWork(
      workNs,
      frames.map((_, i) => 1000 + (10 - (i % 6)) * 50_000),
    )
    expect(latencyFrames.worst).to.equal(3)
  })

  it('rate by distance: far ones in turn, over whole rounds', () => {
    const frames: TestFrame[] = Array.from({ length: 48 }, () => ({ runs: runs(12, 'npc', 50_000) }))
    const parameters = { far: (100 * 4) / 12, unseen: (100 * 4) / 12, 'every-far': 2, 'every-unseen': 4 }
    const { workNs, stalenessMs } = forecastOne(frames, item('rate-by-distance', ['npc'], parameters))
    // Instance by instance: four near, four far, four unseen, each in its turn.
    const each = frames.map((_, frame) => {
      let ran = 0
      for (let i = 0; i < 12; i++)
        ran += i < 4 || (i < 8 ? (frame + i) % 2 === 0 : (frame + i) % 4 === 0) ? 1 : 0
      return ran * 50_000
    })
    const sum = (values: ArrayLike<number>) => Array.from(values).reduce((a, b) => a + b, 0)
    expect(sum(workNs)).to.be.closeTo(sum(each), 1)
    expect(stalenessMs.worst).to.be.closeTo((3 * 12 * 50_000) / MS, 1e-9)
  })

  it('rate by distance: as many are far in each frame as updaters say, scaled to the share that is set', () => {
    const frames: TestFrame[] = Array.from({ length: 40 }, (_, i) => ({
      runs: runs(10, 'npc', 50_000),
      updaters: { npcs: [10, 10, 0, i % 5] as [number, number, number, number] },
    }))
    const game: TestGame = { classes: { npcs: 'npc' } }
    // On average 2 of 10 are far.
    for (const [far, factor] of [
      [20, 1],
      [40, 2],
      [10, 0.5],
    ] as const) {
      const parameters = { far, unseen: 0, 'every-far': 2, 'every-unseen': 4 }
      const { workNs } = forecastOne(frames, item('rate-by-distance', ['npc'], parameters), game)
      expectWork(
        workNs,
        frames.map((_, i) => 500_000 * (1 - ((factor * (i % 5)) / 10) * (1 - 1 / 2))),
      )
    }
    const [suggested] = forecastOne(frames, item('rate-by-distance', ['npc'], {}), game).inputs
    expect(suggested).to.include({ origin: 'measured' })
  })

  it('timer: runs only when due, the rest left out or made up for', () => {
    const frames = night()
    const isDue = (frame: number) => frame >= 2 && (frame - 2) % 5 === 0
    // What is due in a frame without a run waits for the next one.
    let owed = false
    const ranIn = frames.map(({ runs: list }, frame) => {
      owed ||= isDue(frame)
      const runsHere = list[0]!.children!.some(({ marker }) => marker === 'npc')
      const ran = owed && runsHere
      if (ran) owed = false
      return ran
    })
    const parameters = { every: 5, unit: 'frames', phase: 2 }
    expectWork(
      forecastOne(frames, item('timer', NPC, parameters)).workNs,
      workOf(
        frames,
        without('npc', (_, frame) => !ranIn[frame]),
      ),
    )
    const npcNs = frames.map(({ runs: list }) =>
      list[0]!.children!.filter(({ marker }) => marker === 'npc').reduce((sum, one) => sum + totalOf(one), 0),
    )
    let waiting = 0
    const madeUp = workOf(
      frames,
      without('npc', () => true),
    ).map((ns, frame) => {
      if (!ranIn[frame]) {
        waiting += npcNs[frame]!
        return ns
      }
      const done = npcNs[frame]! + waiting
      waiting = 0
      return ns + done
    })
    expectWork(forecastOne(frames, item('timer', NPC, { ...parameters, grows: 100 })).workNs, madeUp)
  })

  it('timer: in ms, whatever frames take', () => {
    const frames: TestFrame[] = Array.from({ length: 100 }, (_, i) => ({
      runs: [run('hud', 1 * MS), run('rest', (i % 3 === 0 ? 29 : 9) * MS)],
    }))
    const { workNs, stalenessMs } = forecastOne(frames, item('timer', ['hud'], { every: 50, unit: 'ms' }))
    let at = 0
    let due = 0
    let last = 0
    let oldest = 0
    const expected = workOf(frames).map((ns) => {
      const runsNow = at >= due - 1e-6
      while (due <= at + 1e-6) due += 50 * MS
      if (runsNow) last = at
      oldest = Math.max(oldest, at - last)
      at += ns
      return runsNow ? ns : ns - MS
    })
    expectWork(workNs, expected)
    expect(stalenessMs.worst).to.be.closeTo(oldest / MS, 1e-9)
  })

  it('stagger: the runs of another fall some frames later', () => {
    const count = 200
    const frames: TestFrame[] = Array.from({ length: count }, (_, i) => ({
      runs: [
        run('base', 1 * MS),
        ...(i % 20 === 5 ? [run('sweep', 3 * MS)] : []),
        ...(i % 20 === 5 ? [run('audit', 2 * MS, { children: [run('sum', 0.5 * MS)] })] : []),
      ],
    }))
    const { workNs, inputs, picture } = forecastOne(
      frames,
      item('stagger', ['sweep'], { with: 'audit', 'shift audit': 7 }),
    )
    const expected = frames.map((_, i) => MS * (1 + (i % 20 === 5 ? 3 : 0) + (i % 20 === 12 ? 2.5 : 0)))
    expectWork(workNs, expected)
    const suggested = inputs.find(({ name }) => name === 'shift audit') as NumberInput
    expect(suggested.suggested % 20).to.not.equal(0)
    const [before, after] = picture!.panels as BarPanel[]
    expect(Math.max(...after!.values)).to.equal(3)
    expect(Math.max(...before!.values)).to.equal(5.5)
  })

  it('stagger: a burst in parts over the frames that follow', () => {
    const frames: TestFrame[] = Array.from({ length: 90 }, (_, i) => ({
      runs: [run('base', MS), ...(i % 30 === 4 ? runs(10, 'burst', 600_000) : [])],
    }))
    const { workNs } = forecastOne(frames, item('stagger', ['burst'], { with: 'nobody', parts: 5 }))
    expectWork(
      workNs,
      frames.map((_, i) => MS + ((i - 4) % 30 >= 0 && (i - 4) % 30 < 5 && i >= 4 ? 1.2 * MS : 0)),
    )
  })

  it('slice: whole pieces, so many a frame, first in first out', () => {
    const random = randomFrom(3)
    const bursts = Array.from({ length: 200 }, (_, i) => (i % 40 === 9 ? 10 + Math.floor(random() * 20) : 0))
    const frames: TestFrame[] = bursts.map((pieces) => ({
      runs: [
        run('base', 2 * MS),
        ...(pieces > 0 ? [run('plan', 0, { children: runs(pieces, 'search', 500_000) })] : []),
      ],
    }))
    const { workNs, latencyFrames, inputs } = forecastOne(
      frames,
      item('slice', ['plan'], { budget: 1.7, cost: 10 }),
    )
    expect((inputs.find(({ name }) => name === 'piece') as NumberInput).suggested).to.be.closeTo(0.5, 1e-9)
    const queue: number[] = []
    let worst = 0
    const expected = bursts.map((pieces, frame) => {
      queue.push(...new Array<number>(pieces).fill(frame))
      const done = queue.splice(0, 3)
      for (const from of done) worst = Math.max(worst, frame - from)
      return 2 * MS + done.length * 500_000 + (done.length > 0 ? 10_000 : 0)
    })
    expectWork(workNs, expected)
    expect(latencyFrames.worst).to.equal(worst)
  })

  it('slice: refuses what does not fit, and what would never be done', () => {
    const frames: TestFrame[] = Array.from({ length: 100 }, (_, i) => ({
      runs: [run('base', 13.5 * MS), ...(i % 50 === 9 ? [run('plan', 40 * MS)] : [])],
    }))
    const refusalOf = (budget: number) =>
      forecastOn(frames, [item('slice', ['plan'], { budget })]).forecast.items[0]!.refusal
    expect(refusalOf(6)).to.equal('a slice of 6.00 ms does not fit: typical frames leave 3.17 ms')
    expect(refusalOf(0.5)).to.contain('it would never be done')
    expect(refusalOf(2)).to.equal(null)
  })

  it('jobs: the work goes to workers, the main lane waits for what is not done', () => {
    const frames: TestFrame[] = Array.from({ length: 40 }, (_, i) => ({
      runs: [run('base', 4 * MS), ...(i % 8 === 2 ? [run('paths', 12 * MS)] : [])],
    }))
    const parameters = { workers: 3, grain: 1, dispatch: 20, join: 'same', overlap: 50 }
    const { forecast } = forecastOn(frames, [item('jobs', ['paths'], parameters)])
    // Twelve jobs of 1 ms on three idle lanes take four rounds after the first is handed over.
    const waitNs = 4 * MS + 20_000 - 2 * MS
    forecast.frames.workNs.forEach((ns, i) =>
      expect(ns).to.be.closeTo(4 * MS + (i % 8 === 2 ? 12 * 20_000 : 0), 0.5),
    )
    forecast.frames.waitNs.job.forEach((ns, i) => expect(ns).to.be.closeTo(i % 8 === 2 ? waitNs : 0, 0.5))
    const next = forecastOn(frames, [item('jobs', ['paths'], { ...parameters, join: 'next' })]).forecast
    expect(next.latencyFrames).to.equal(1)
    next.frames.waitNs.job.forEach((ns, i) => expect(ns).to.be.closeTo(i % 8 === 3 ? 20_000 : 0, 0.5))
  })

  it('jobs: lanes that are busy begin later', () => {
    const frames: TestFrame[] = Array.from({ length: 20 }, () => ({
      runs: [run('base', 1 * MS), run('paths', 6 * MS)],
      worker: [run('wind', 3 * MS)],
    }))
    const parameters = { workers: 2, grain: 2, dispatch: 0, join: 'same', overlap: 0 }
    const { forecast } = forecastOn(frames, [item('jobs', ['paths'], parameters)])
    // One lane is free at 0, the other at 3: jobs end at 2, 4 and 5.
    forecast.frames.waitNs.job.forEach((ns) => expect(ns).to.be.closeTo(5 * MS, 0.5))
  })

  it('bucket: each run tests its neighbours instead of all', () => {
    const costNs = (tests: number) => 5_000 + tests * 100
    const frames: TestFrame[] = Array.from({ length: 300 }, (_, i) => ({
      runs: [run('sim', 1000, { children: runs(20, 'seek', costNs(40 + 4 * (i % 90))) })],
      gauges: { lamps: 40 + 4 * (i % 90) },
    }))
    const set = { others: 'lamps', occupancy: 3, cells: 9, upkeep: 30 }
    const { workNs, inputs } = forecastOne(frames, item('bucket', ['sim', 'seek'], set))
    const law = inputs.find(({ name }) => name === 'variable') as NumberInput
    expect(law.origin).to.equal('measured')
    const expected = frames.map(() => 1000 + 30_000 + 20 * costNs(27))
    // The law knows the fixed part only for the usual load.
    const total = (values: ArrayLike<number>) => Array.from(values).reduce((a, b) => a + b, 0)
    expect(total(workNs)).to.be.closeTo(total(expected), 0.05 * total(workOf(frames)))
    const noneLeft = forecastOne(frames, item('bucket', ['sim', 'seek'], { ...set, cells: 1e4, upkeep: 0 }))
    expectWork(noneLeft.workNs, workOf(frames))
  })

  it('one manager: overhead of each run gone, the rest by the cache lines', () => {
    const frames: TestFrame[] = Array.from({ length: 20 }, () => ({ runs: runs(100, 'wing', 10_000) }))
    const set = { instances: 100, bytes: 128, hot: 32, call: 1, memory: 50 }
    const { workNs, picture } = forecastOne(frames, item('one-manager', ['wing'], set))
    // 200 lines become 50: half of the 9 µs falls to a quarter.
    expectWork(
      workNs,
      frames.map(() => 100 * 9_000 * (0.5 + 0.5 * 0.25)),
    )
    expect(picture!.foot).to.contain('100 instances')
  })

  it('pool: births are served as long as there are any, in each of four ways', () => {
    const random = randomFrom(11)
    const alive: number[] = []
    const lives = Array.from({ length: 150 }, (): [number, number] => {
      const died = alive.filter(() => random() < 0.1).length
      alive.splice(0, died)
      const born = Math.floor(random() * 4)
      alive.push(...new Array<number>(born).fill(0))
      return [born, died]
    })
    const frames: TestFrame[] = lives.map(([born, died]) => ({
      runs: [run('arrive', 1000, { children: runs(born, 'make', 10_000) })],
      lives: { letter: [born, died] as [number, number] },
    }))
    const size = 8
    for (const beyond of ['grow', 'make', 'refuse', 'oldest'] as const) {
      const set = { size, beyond, growBy: 3, making: 10, part: 100, take: 0, bytes: 100 }
      const { workNs, price } = forecastOne(frames, item('pool', ['arrive', 'make'], set))
      /** Those alive, the oldest first, and whether each is of the pool. */
      const living: boolean[] = []
      let [free, lost, grown] = [size, 0, 0]
      const expected = lives.map(([born, died]) => {
        let dying = died
        const already = Math.min(lost, Math.max(0, dying - living.length))
        lost -= already
        dying -= already
        for (const ofPool of living.splice(0, dying)) if (ofPool) free++
        let cost = 0
        let grew = false
        for (let i = 0; i < born; i++) {
          if (free === 0 && beyond === 'grow') {
            free += 3
            cost += 30_000
            grew = true
          }
          if (free > 0) {
            free--
            living.push(true)
          } else if (beyond === 'make') {
            living.push(false)
            cost += 10_000
          } else {
            lost++
          }
        }
        if (grew) grown++
        return 1000 + cost
      })
      if (beyond === 'grow') expect(price.join()).to.contain(`grows in ${grown} frames`)
      expectWork(workNs, expected)
    }
  })

  it('reuse: collections come when as much has been allocated as before', () => {
    const frames: TestFrame[] = Array.from({ length: 120 }, (_, i) => ({
      runs: [
        run('scratch', 10_000, { bytes: 300 }),
        run('other', 10_000, { bytes: 100 }),
        ...(i % 10 === 9 ? [run('gc', 2 * MS)] : []),
      ],
    }))
    const game: TestGame = { markers: { gc: { kind: 'collect' } } }
    const { forecast } = forecastOn(frames, [item('reuse', ['scratch'], { making: 0 })], game)
    // A quarter of the bytes: every fortieth frame instead of every tenth.
    const pauses = [...forecast.frames.workNs.keys()].filter((i) => forecast.frames.workNs[i]! > MS)
    expect(pauses).to.deep.equal([39, 79, 119])
    expect([forecast.before.collectionsPer1000, forecast.after.collectionsPer1000]).to.deep.equal([100, 25])
    expect([forecast.before.bytesPerFrame, forecast.after.bytesPerFrame]).to.deep.equal([400, 100])
  })

  it('leave collections unknown where nobody says who allocates', () => {
    const heap = 1e6
    const frames: TestFrame[] = Array.from({ length: 120 }, (_, i) => ({
      runs: [run('scratch', 10_000), ...(i % 10 === 9 ? [run('gc', 2 * MS)] : [])],
      gauges: { heap: heap + (i % 10) * 4_000 },
    }))
    const game: TestGame = { markers: { gc: { kind: 'collect' } } }
    const planned = (one: PlanItem) => forecastOn(frames, [one], game).forecast.after
    expect(planned(item('drop', ['scratch'])).collectionsPer1000).to.equal(null)
    expect(planned(item('drop', ['scratch'])).bytesPerFrame).to.equal(null)
    // What does nothing leaves them as recorded.
    for (const idle of [item('drop', ['gone']), item('drop', ['scratch'], {}, { on: false })])
      expect(planned(idle).collectionsPer1000).to.equal(100)
  })
})

describe('remedies, all of them', () => {
  const rich: TestFrame[] = night({ frames: 90, seed: 7 }).map((frame, i) => ({
    ...frame,
    runs: [
      ...frame.runs,
      run('tick', 200_000),
      ...(i % 12 === 5 ? [run('sweep', MS), run('audit', 2 * MS)] : []),
    ],
    gauges: { lamps: 40 + (i % 30) },
    lives: { letter: [i % 3, i % 3] as [number, number] },
    updaters: { npcs: [8, 8, i % 5] as [number, number, number] },
    watches: { tally: [1, i % 9 === 0 ? 1 : 0] as [number, number] },
    steps: 2,
  }))
  const game: TestGame = { classes: { npcs: 'npc' }, markers: { tick: { watches: ['tally'] } } }
  const base = baseOf(studyFrom(rich, game))
  const PATHS = [NPC, ['sim'], ['sim', 'search'], ['draw'], ['tick'], ['sweep'], ['sim', 'npc', 'look']]
  const forecastOf = (items: ReturnType<typeof item>[]) =>
    forecastPlan(base, { items }, { withSpikes: false }).forecast
  const pathCost = (path: string[]): number => {
    const id = pathOf(base.study, path)
    return base.inside(id).reduce((sum, one) => sum + base.columns(one).selfNs.reduce((a, b) => a + b, 0), 0)
  }

  it('never make time negative, nor save more than a path costs, whatever is set', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...REMEDY_KINDS),
        fc.constantFrom(...PATHS),
        fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 8, maxLength: 8 }),
        (kind, path, places) => {
          const [known] = forecastOf([item(kind, path)]).items
          const parameters = Object.fromEntries(
            known!.inputs.map((input, i) => {
              if (input.sort === 'choice')
                return [
                  input.name,
                  input.choices[Math.floor(places[i % 8]! * 0.999 * input.choices.length)]!.id,
                ]
              const most = Math.min(input.most, Math.max(input.suggested * 3, input.least + 5))
              const value = input.least + places[i % 8]! * (most - input.least)
              return [input.name, input.whole ? Math.round(value) : value]
            }),
          )
          const forecast = forecastOf([item(kind, path, parameters)])
          const { refusal, problems, gainMsPerFrame } = forecast.items[0]!
          expect(problems).to.deep.equal([])
          expect(forecast.frames.workNs.every((ns) => ns >= 0 && Number.isFinite(ns))).to.equal(true)
          expect(forecast.frames.durationNs.every((ns) => ns >= 0 && Number.isFinite(ns))).to.equal(true)
          if (refusal !== null) expect(gainMsPerFrame).to.equal(0)
          expect(gainMsPerFrame * base.count * MS).to.be.at.most(pathCost(path) + 1)
        },
      ),
      { numRuns: 300 },
    )
  })

  const NEUTRAL: Partial<Record<RemedyKind, [string[], Record<string, number | string>]>> = {
    'by-hand': [NPC, { factor: 1 }],
    timer: [NPC, { every: 1, unit: 'frames', phase: 0 }],
    stagger: [['sweep'], { with: 'all', 'shift audit': 0, parts: 1 }],
    gate: [NPC, { passes: 100, test: 0 }],
    cache: [NPC, { misses: 100 }],
    share: [NPC, { group: 1 }],
    bucket: [['sim', 'search'], { occupancy: 1e6, upkeep: 0 }],
    'rate-by-distance': [NPC, { 'every-far': 1, 'every-unseen': 1 }],
    'one-manager': [NPC, { call: 0, memory: 0 }],
    pool: [NPC, { size: 0, beyond: 'make', take: 0 }],
    reuse: [NPC, { share: 0 }],
    slice: [['sim', 'search'], { budget: 10, cost: 0 }],
  }
  for (const [kind, [path, parameters]] of Object.entries(NEUTRAL)) {
    it(`${kind} that is set to change nothing changes nothing`, () => {
      const forecast = forecastOf([item(kind as RemedyKind, path, parameters)])
      expect(forecast.items[0]!.refusal).to.equal(null)
      expectWork(forecast.frames.workNs, [...base.study.frames.workNs])
      expect(forecast.after).to.deep.equal({
        ...forecast.before,
        meanMs: forecast.after.meanMs,
        frames: forecast.after.frames,
      })
      expect(forecast.after.frames.over).to.equal(forecast.before.frames.over)
    })
  }

  it('come to the same in any order, where they are about different paths', () => {
    const items = [
      item('drop', ['sim', 'search']),
      item('timer', ['draw'], { every: 3 }),
      item('react', ['tick']),
      item('sleep', NPC),
    ]
    const forwards = forecastOf(items)
    const backwards = forecastOf([...items].reverse())
    expectWork(forwards.frames.workNs, [...backwards.frames.workNs])
    for (const { id, gainMsPerFrame } of forwards.items) {
      expect(backwards.items.find((other) => other.id === id)!.gainMsPerFrame).to.be.closeTo(
        gainMsPerFrame,
        1e-9,
      )
    }
  })

  it('are charged for what those before them left', () => {
    const twice = forecastOf([
      item('sleep', NPC, { wake: 0 }),
      item('gate', NPC, { test: 0 }),
      item('react', NPC, { dispatch: 0 }),
    ])
    expect(twice.items[0]!.gainMsPerFrame).to.be.greaterThan(0)
    // The needless runs are gone already.
    expect(twice.items[1]!.gainMsPerFrame).to.be.closeTo(0, 1e-9)
    expect(twice.items[2]!.gainMsPerFrame).to.be.closeTo(0, 1e-9)
    const halves = forecastOf([item('by-hand', ['sim'], { factor: 0.5 }), item('drop', NPC)])
    const alone = forecastOf([item('drop', NPC)])
    expect(halves.items[1]!.gainMsPerFrame).to.be.closeTo(alone.items[0]!.gainMsPerFrame / 2, 1e-9)
    const asleep = forecastOf([
      item('sleep', NPC, { idle: 'asleep', wake: 0 }),
      item('sleep', NPC, { idle: 'asleep', wake: 0 }, { id: 'again' }),
    ])
    expect(asleep.items[1]!.gainMsPerFrame).to.equal(0)
  })

  it('say in words what they are, what they cost and how much work they are', () => {
    for (const kind of REMEDY_KINDS) {
      const { words, about, price, effort } = REMEDIES[kind]
      expect(
        [words, about, price].every((text) => text.length > 2),
        kind,
      ).to.equal(true)
      expect(['small', 'medium', 'large']).to.include(effort)
    }
  })

  it('refuse other lanes, waits, collections and whole frames, in words', () => {
    const frames: TestFrame[] = Array.from({ length: 10 }, () => ({
      runs: [run('work', MS), run('hold', MS), run('gc', 1000)],
      worker: [run('wind', MS)],
    }))
    const markers = { hold: { kind: 'wait:graphics' as const }, gc: { kind: 'collect' as const } }
    const refusalOf = (path: string[], kind: RemedyKind = 'hoist') =>
      forecastOn(frames, [item(kind, path)], { markers }).forecast.items[0]!.refusal
    expect(refusalOf(['wind'])).to.contain('lane “worker”')
    expect(refusalOf(['hold'])).to.contain('waits')
    expect(refusalOf(['gc'])).to.contain('collection')
    expect(refusalOf([])).to.contain('needs a path')
    expect(refusalOf(['work'])).to.contain('no key')
    expect(refusalOf(['work'], 'react')).to.contain('nobody knows when it is needed')
    expect(refusalOf(['work'], 'pool')).to.contain('births and deaths')
    expect(refusalOf(['work'], 'sleep')).to.contain('nobody knows what could sleep')
    expect(refusalOf(['work'], 'reuse')).to.contain('mode bytes')
    expect(refusalOf(['work'], 'limit-steps')).to.contain('no steps')
    expect(refusalOf(['nowhere'])).to.equal('the take has no path nowhere')
  })
})
