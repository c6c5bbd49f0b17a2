/** The machine told from the game: nights of many kinds of noise, clean ones and such with something planted. */
import { expect } from 'chai'
import {
  exponentWords,
  findAll,
  gatherEvidence,
  isFolded,
  type Evidence,
  type Finding,
} from '@lapsus/core/detect'
import { takenGauge, type MarkerKind } from '@lapsus/core/format'
import { atEqualSpeed, factorAt, machineSpeed, spellsOf, type Study } from '@lapsus/core/study'
import { isLong } from '../../../test/support/extent.ts'
import { noisyNight, type Machine, type Night } from './support/noisy.ts'
import { randomFrom, run, runs, studyFrom, type Run, type TestFrame } from './support/studies.ts'

const MS = 1e6
const BUDGET = 1e9 / 60

const MACHINES: Record<string, Machine> = {
  'as quiet as any': {},
  'with runs that vary': { sigma: 0.25 },
  'with heavy tails': { tails: { share: 0.003, exponent: 1.5 } },
  'with hiccups of all code': { hiccups: 1 },
  'that takes the thread away': { interruptions: { perSecond: 6, ms: 12 } },
  'that takes the thread away, and says so': { interruptions: { perSecond: 10, ms: 12 }, tells: true },
  'whose speed goes up and down': { drift: { share: 0.2, kind: 'wave' } },
  'whose speed wanders': { drift: { share: 0.2, kind: 'walk' } },
  'that does all of this': {
    sigma: 0.2,
    tails: { share: 0.002, exponent: 1.5 },
    hiccups: 0.5,
    interruptions: { perSecond: 5, ms: 10 },
    drift: { share: 0.15, kind: 'walk' },
  },
}

interface Judged {
  evidence: Evidence
  /** What is said of the game, folded ones left out. */
  ofGame: Finding[]
  ofMachine: Finding[]
}

function judge(night: Night): Judged {
  const evidence = gatherEvidence(noisyNight(night))
  const shown = findAll(evidence).filter((finding) => !isFolded(finding, evidence.budgetNs))
  return {
    evidence,
    ofGame: shown.filter(({ trouble }) => trouble !== 'machine'),
    ofMachine: shown.filter(({ trouble }) => trouble === 'machine'),
  }
}

const markerOf = ({ names }: Evidence, { path }: Finding) => (path === null ? '' : names(path).at(-1)!)

describe('clean nights on a machine', () => {
  for (const [name, machine] of Object.entries(MACHINES))
    it(`${name} have no findings about the game`, () => {
      const found: string[] = []
      for (const [count, target] of [
        [40, 60],
        [300, 30],
        [1500, 60],
        [1500, 144],
      ] as const)
        for (const [seed, fill] of [
          [11, 0.3],
          [12, 0.6],
          [13, 0.75],
        ] as const) {
          const { ofGame, evidence } = judge({ seed, count, target, fill, machine })
          // What takes nearly a tenth of the budget takes more than that on a machine that is slower for most of the night.
          const others = ofGame.filter(({ kind }) => kind !== 'hotspot' || machine.drift === undefined)
          found.push(...others.map((finding) => `${finding.kind} ${markerOf(evidence, finding)}`))
        }
      expect(found).to.deep.equal([])
    })
})

describe('a trouble of the game', () => {
  /** Frames in no order, none near another. */
  const scattered = (times: number, count: number, seed: number) => {
    const random = randomFrom(seed)
    return new Set(
      Array.from({ length: times }, (_, i) =>
        Math.floor(((i + 0.2 + 0.6 * random()) * (count - 60)) / times + 30),
      ),
    )
  }
  const stash = (times: number, seed: number, machine: Machine): Judged => {
    const at = scattered(times, 2400, seed)
    return judge({
      ...{ seed, count: 2400, machine },
      more: (frame, random) => ({
        inside: [run('stash', at.has(frame) ? Math.round((25 + 25 * random()) * MS) : 300_000)],
      }),
    })
  }
  const isTold = ({ evidence, ofGame }: Judged) =>
    ofGame.some((finding) => finding.kind === 'spike-family' && markerOf(evidence, finding) === 'stash')

  it('is found in irregular slow runs of one path, three of them on a quiet machine', () => {
    for (let seed = 1; seed <= 5; seed++) {
      expect(isTold(stash(3, seed, {})), `seed ${seed}`).to.equal(true)
      expect(isTold(stash(2, seed, {})), `seed ${seed}, two`).to.equal(false)
    }
  })

  it('is found as well beside noise, where there is more of it', () => {
    for (const [name, machine] of Object.entries(MACHINES))
      for (let seed = 1; seed <= (isLong ? 10 : 1); seed++)
        expect(isTold(stash(25, seed, machine)), `${name}, seed ${seed}`).to.equal(true)
  })

  it('is found in four equal spikes equally far apart, whatever share of the time the path has', () => {
    const { evidence, ofGame } = judge({
      ...{ seed: 5, count: 1200, machine: { interruptions: { perSecond: 2, ms: 8 } } },
      more: (frame) => ({ inside: [run('index', frame % 300 === 150 ? 60 * MS + 4 * MS : 4 * MS)] }),
    })
    const family = ofGame.find(({ kind }) => kind === 'spike-family')!
    expect(markerOf(evidence, family)).to.equal('index')
    // Its worst are the four; interruptions that happened to strike it are among the others.
    expect(family.frames.slice(0, 4).sort((a, b) => a - b)).to.deep.equal([150, 450, 750, 1050])
  })

  it('is found in runs that come at no moment, however often they usually come', () => {
    const at = scattered(4, 1500, 3)
    const { evidence, ofGame } = judge({
      ...{ seed: 3, count: 1500 },
      more: (frame) => ({ inside: runs(at.has(frame) ? 90 : 2, 'plan route', 0.3 * MS) }),
    })
    expect(ofGame.map(({ kind }) => kind)).to.include('spike-family')
    expect(ofGame.map((finding) => markerOf(evidence, finding))).to.include('plan route')
  })

  it('that slows all code at a moment of the game is the game’s', () => {
    const waves = [200, 500, 800, 1100, 1400]
    const frames = (says: boolean) =>
      studyFrom(
        Array.from({ length: 1600 }, (_, frame): TestFrame => {
          const factor = waves.includes(frame) ? 3 : 1
          const inside = Array.from({ length: 6 }, (_, i) => run(`part ${i}`, Math.round(1.5 * MS * factor)))
          return {
            runs: [run('sim', 10_000, { children: inside })],
            moments: says && factor > 1 ? ['wave'] : [],
          }
        }),
      )
    const told = gatherEvidence(frames(true))
    expect(told.spikes.map(({ machine }) => machine)).to.deep.equal(waves.map(() => null))
    expect(findAll(told).map(({ kind, subject }) => `${kind} ${subject}`)).to.include('spike-family wave')
    const silent = gatherEvidence(frames(false))
    expect(silent.spikes.map(({ machine }) => machine?.by)).to.deep.equal(waves.map(() => 'slower'))
    expect(silent.spikes[0]!.machine!.factor).to.be.closeTo(3, 0.01)
    expect(silent.families).to.deep.equal([])
  })
})

describe('what the machine did', () => {
  it('is one finding with its count and its mean, told by the system where it tells', () => {
    const machine = { interruptions: { perSecond: 8, ms: 12 } }
    const told = judge({ seed: 4, count: 3000, machine: { ...machine, tells: true } })
    const taken = told.evidence.study.frames.takenNs.filter((ns) => ns >= 0.05 * BUDGET)
    const [finding] = told.ofMachine
    expect(told.ofMachine).to.have.length(1)
    expect(finding!.text).to.contain(`took the thread away ${taken.length} times`)
    expect(finding!.confidence).to.equal('high')
    expect(finding!.text).to.not.contain('  ')
    expect(finding!.recoverableNs).to.equal(0)
    expect(finding!.remedies).to.deep.equal([])
    const sumNs = taken.reduce((sum, ns) => sum + ns, 0)
    expect(finding!.costNs * 3000).to.be.closeTo(sumNs, 0.02 * sumNs)
    // Without its word nearly as many are found, by the runs alone.
    const silent = judge({ seed: 4, count: 3000, machine })
    const [guessed] = silent.ofMachine
    expect(guessed!.confidence).to.equal('medium')
    expect(guessed!.costNs * 3000).to.be.closeTo(sumNs, 0.15 * sumNs)
  })

  it('is the reason of the spikes it made, and of no family', () => {
    const { evidence } = judge({ seed: 6, count: 3000, machine: { interruptions: { perSecond: 8, ms: 25 } } })
    expect(evidence.spikes.length).to.be.greaterThan(10)
    for (const spike of evidence.spikes) {
      expect(spike.machine?.by).to.equal('struck')
      expect(spike.causes[0]).to.include({ path: null, why: 'machine' })
    }
    expect(evidence.families).to.deep.equal([])
  })

  it('is the reason of a wait for a job whose thread was kept waiting', () => {
    const at = [100, 390, 701]
    const spikes = (takenMs: number, { early = 0, usual = 0, wait = 'wait:job' as MarkerKind } = {}) =>
      gatherEvidence(
        studyFrom(
          Array.from({ length: 900 }, (_, frame): TestFrame => {
            const isHeld = at.includes(frame)
            return {
              takenNs: 0,
              runs: [run('sim', 4 * MS), run('join', (isHeld ? 21 : 1) * MS)],
              worker: [run('job', 5 * MS)],
              gauges: { [takenGauge('worker')]: usual + (at.includes(frame + early) ? takenMs : 0) },
            }
          }),
          { markers: { join: { kind: wait } } },
        ),
      ).spikes
    // A wait of 20 ms more than usual: half of it, and less.
    for (const told of [spikes(10), spikes(10, { early: 1 }), spikes(60, { usual: 3 })]) {
      expect(told.map(({ frame, held, machine }) => [frame, held, machine?.by])).to.deep.equal(
        at.map((frame) => [frame, true, 'told']),
      )
    }
    expect(spikes(60)[0]!.machine!.excessNs).to.be.closeTo(20 * MS, 1)
    for (const silent of [spikes(9.9), spikes(60, { early: 2 }), spikes(60, { wait: 'wait:io' })]) {
      expect(silent).to.have.length(3)
      expect(silent.map(({ machine }) => machine)).to.deep.equal([null, null, null])
    }
  })

  it('is not claimed where the system says that it took nothing', () => {
    const at = [100, 400, 700]
    const study = studyFrom(
      Array.from({ length: 900 }, (_, frame): TestFrame => ({
        takenNs: 0,
        runs: [run('a', 2 * MS), run('b', 5 * MS + (at.includes(frame) ? 20 * MS : 0))],
      })),
    )
    expect(findAll(gatherEvidence(study)).map(({ kind }) => kind)).not.to.include('interruptions')
  })
})

describe('the machine’s speed', () => {
  const parts = Array.from({ length: 7 }, (_, i) => `part ${i}`)
  const changing = (
    count: number,
    factor: (frame: number) => number,
    more: (frame: number) => Run[] = () => [],
  ) =>
    studyFrom(
      Array.from({ length: count }, (_, frame) => ({
        runs: [
          run('sim', 10_000, {
            children: [
              ...parts.map((name, i) => run(name, Math.round((i + 1) * 0.2 * MS * factor(frame)))),
              ...more(frame),
            ],
          }),
        ],
      })),
    )
  const errorOf = (study: Study, factor: (frame: number) => number) => {
    const speed = machineSpeed(study)
    const middle = factorAt(speed, 0) / factor(0)
    return Math.max(
      ...study.frames.startNs.map((_, frame) =>
        Math.abs(factorAt(speed, frame) / factor(frame) / middle - 1),
      ),
    )
  }

  it('is found as it was', () => {
    const step = (frame: number) => (frame >= 600 && frame < 900 ? 1.3 : 1)
    const study = changing(1500, step)
    expect(errorOf(study, step)).to.be.below(1e-3)
    const [spell, ...others] = spellsOf(machineSpeed(study), 1500)
    expect(spell).to.include({ from: 600, to: 899 })
    expect(spell!.factor).to.be.closeTo(1.3, 1e-9)
    expect(others).to.deep.equal([])
  })

  it('is not moved by paths that change by themselves, fewer than half', () => {
    const study = changing(
      1500,
      () => 1,
      (frame) => ['x', 'y', 'z'].map((name) => run(name, frame < 700 ? MS : 5 * MS)),
    )
    expect(errorOf(study, () => 1)).to.be.below(1e-9)
  })

  it('is 1 where too few paths tell', () => {
    const study = studyFrom(
      Array.from({ length: 600 }, (_, frame) => ({
        runs: [run('a', frame < 300 ? MS : 2 * MS), run('b', MS)],
      })),
    )
    expect([...new Set(machineSpeed(study).factor)]).to.deep.equal([1])
    expect(atEqualSpeed(study, machineSpeed(study))).to.equal(study)
  })

  it('taken out leaves what the game did', () => {
    const step = (frame: number) => (frame < 400 ? 1 : 1.25)
    const study = changing(1200, step, (frame) => [
      run('own', Math.round((frame < 800 ? 1 : 2) * MS * step(frame))),
    ])
    const even = atEqualSpeed(study, machineSpeed(study))
    const course = [...even.courses.values()].find(
      ({ path }) => even.declarations.marker(even.paths.get(path).marker).name === 'own',
    )!
    const [before, between, after] = [100, 600, 1000].map((frame) => course.selfNs[frame]!)
    expect(between! / before!).to.be.closeTo(1, 1e-3)
    expect(after! / before!).to.be.closeTo(2, 1e-2)
    expect(study.courses.get(course.path)!.selfNs[600]).to.be.closeTo(1.25 * MS, 2)
  })

  it('is no shift of the floor; a path that rises beside it is', () => {
    const step = (frame: number) => (frame < 600 ? 1 : 1.3)
    const shifts = (study: Study) => {
      const evidence = gatherEvidence(study)
      return findAll(evidence)
        .filter(({ kind }) => kind === 'shift')
        .map((finding) => markerOf(evidence, finding))
    }
    expect(shifts(changing(1200, step))).to.deep.equal([])
    expect(
      shifts(
        changing(1200, step, (frame) => [
          run('rising', Math.round((frame < 500 ? 1 : 3) * MS * step(frame))),
        ]),
      ),
    ).to.deep.equal(['rising'])
  })

  it('that falls as a load grows passes for no law of the load', () => {
    // Twenty lights more in each tenth of the night, on a machine that gets as much slower.
    const load = (frame: number) => 100 + 20 * Math.floor(frame / 120)
    const frames = (ramp: boolean) =>
      studyFrom(
        Array.from({ length: 1200 }, (_, frame): TestFrame => {
          const slower = load(frame) / 100
          return {
            runs: [
              run('sim', 10_000, {
                children: [
                  ...parts.map((name, i) => run(name, Math.round((i + 1) * 0.1 * MS * slower))),
                  ...runs(40, 'measure', Math.round(20_000 * slower)),
                ],
              }),
            ],
            gauges: { lights: load(frame) + (frame % 3) },
            moments: ramp && frame === 0 ? ['ramp'] : [],
          }
        }),
      )
    const kinds = (study: Study) => findAll(gatherEvidence(study)).map(({ kind }) => kind)
    expect(kinds(frames(false))).to.not.include('all-pairs')
    // In a ramp that the game has said, it is the load.
    const ramp = gatherEvidence(frames(true))
    expect(ramp.even().study).to.equal(ramp.study)
  })
})

describe('an exponent', () => {
  it('is told with its interval, open where that reaches the end of what is tried', () => {
    expect(exponentWords({ value: 2, low: 1.8, high: 2.25 })).to.equal('exponent 2.00, between 1.80 and 2.25')
    expect(exponentWords({ value: 3, low: 2.1, high: 4 })).to.equal(
      'exponent 3.00, between 2.10 and more than 4',
    )
    expect(exponentWords({ value: 3, low: 2.1, high: 3.95 })).to.equal('exponent 3.00, between 2.10 and 3.95')
    expect(exponentWords({ value: 1, low: 0.5, high: 1.2 })).to.equal(
      'exponent 1.00, between less than 0.5 and 1.20',
    )
  })
})
