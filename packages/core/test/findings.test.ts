/** Each kind of finding: planted, it is found at its path and costs what was planted; without it, it is not. */
import { findingReports } from '@lapsus/core/questions/diagnosis'
import { rosterOf } from '@lapsus/core/questions/roster'
import { expect } from 'chai'
import type { MarkerKind } from '@lapsus/core/format'
import fc from 'fast-check'
import {
  findAll,
  FINDING_KINDS,
  gatherEvidence,
  isFolded,
  memoryOf,
  type Finding,
  type FindingKind,
} from '@lapsus/core/detect'
import { partOfStudy, studyWithoutRecorder, type Study } from '@lapsus/core/study'
import {
  normalFrom,
  randomFrom,
  run,
  runs,
  studyFrom,
  type Run,
  type TestFrame,
  type TestGame,
} from './support/studies.ts'

const MS = 1e6
const BUDGET = 1e9 / 60

interface Found extends Finding {
  names: string[]
  folded: boolean
}

function findingsOf(study: Study): Found[] {
  const evidence = gatherEvidence(study)
  return findAll(evidence).map((finding) => ({
    ...finding,
    names: finding.path === null ? [] : evidence.names(finding.path),
    folded: isFolded(finding, evidence.budgetNs),
  }))
}

/** What every frame does, none of it much. */
const BASE = ['input', 'physics', 'sound', 'draw']

/** A night of `count` frames: a base of 4 ms with 3 % noise, what `more` adds to each, then the refresh. */
function night(
  count: number,
  more: (frame: number, random: () => number) => Partial<TestFrame> & { inside?: Run[] },
  seed = 1,
): TestFrame[] {
  const random = randomFrom(seed)
  return Array.from({ length: count }, (_, frame) => {
    const { inside = [], ...rest } = more(frame, random)
    const baseNs = Math.round(4 * MS * (1 + 0.03 * normalFrom(random)))
    const work = [
      run('sim', 1000, {
        children: [...BASE.map((name) => run(name, Math.round(baseNs / BASE.length))), ...inside],
      }),
    ]
    const spentNs = baseNs + inside.reduce((sum, span) => sum + span.selfNs, 0)
    return {
      ...rest,
      runs: [...work, run('refresh', Math.max(0, BUDGET - spentNs - 1000)), ...(rest.runs ?? [])],
    }
  })
}

const REFRESH = { refresh: { kind: 'wait:refresh' as const } }
const find = (frames: TestFrame[], game: TestGame = {}) =>
  findingsOf(studyFrom(frames, { ...game, markers: { ...REFRESH, ...game.markers } }))
const ofKind = (found: Found[], kind: FindingKind) => found.filter((finding) => finding.kind === kind)
const noisy = (random: () => number, ns: number, share = 0.03) =>
  Math.max(100, Math.round(ns * (1 + share * normalFrom(random))))

describe('findings', () => {
  it('are none in a quiet night', () => {
    for (let seed = 1; seed <= 10; seed++) expect(find(night(600, () => ({}), seed))).to.deep.equal([])
  })

  it('are hardly any where there is nothing but heavy noise', () => {
    const kinds: string[] = []
    for (let seed = 1; seed <= 20; seed++) {
      const frames = night(
        900,
        (_, random) => ({
          // A machine that is busy: now and then a run takes several times as long.
          inside: ['a', 'b', 'c', 'd'].map((name) =>
            run(name, Math.round(0.4 * MS * Math.exp(0.6 * normalFrom(random)) * (random() < 0.02 ? 12 : 1))),
          ),
          gauges: { load: 100 + Math.round(20 * normalFrom(random)) },
          moments: random() < 0.01 ? ['wave'] : [],
        }),
        seed,
      )
      kinds.push(
        ...find(frames)
          .filter(({ folded, trouble }) => !folded && trouble !== 'machine')
          .map(({ kind }) => kind),
      )
    }
    expect(kinds, kinds.join()).to.have.length.at.most(1)
  })

  it('say what, how often, and what it costs, with figures', () => {
    const found = find(night(400, (_, random) => ({ inside: [run('slow', noisy(random, 3 * MS))] })))
    expect(found).to.have.length(1)
    expect(found[0]).to.include({ kind: 'hotspot', trouble: 'floor', confidence: 'high', folded: false })
    expect(found[0]!.text).to.match(
      /^slow itself takes 3\.\d\d ms a frame \(18\.\d % of the budget, 18\d ms of every second\): 1 run of 3\.\d\d ms\./,
    )
  })

  it('of a part of a take are those of a take of that part', () => {
    const frames = night(900, (frame, random) => ({
      inside: [
        ...runs(10, 'update', 50_000, { effect: frame % 3 === 0 }),
        run('weather', noisy(random, frame < 450 ? MS : 3 * MS)),
        ...(frame % 150 === 75 ? runs(20, 'search', MS) : []),
      ],
      gauges: { load: 40 + (frame % 30) },
      moments: frame % 150 === 75 ? ['gate'] : [],
    }))
    const whole = studyFrom(frames, { markers: REFRESH })
    for (const [from, to] of [
      [0, 400],
      [300, 900],
      [500, 520],
    ] as const) {
      const part = findingsOf(partOfStudy(whole, from, to))
      const alone = findingsOf(studyFrom(frames.slice(from, to), { markers: REFRESH }))
      expect(part.length).to.be.greaterThan(0)
      const bare = (found: Found[]) =>
        found.map(({ kind, names, costNs, frames: at }) => ({ kind, names, costNs: Math.round(costNs), at }))
      expect(bare(part)).to.deep.equal(bare(alone))
    }
  })

  it('have the same name in every take', () => {
    const reports = (seed: number) =>
      findingReports(
        gatherEvidence(
          studyFrom(
            night(300, () => ({ inside: [run('slow', 3 * MS)] }), seed),
            { markers: REFRESH },
          ),
        ),
      )
    expect(reports(1)[0]!.id).to.equal('hotspot | sim > slow')
    expect(reports(2)[0]!.id).to.equal(reports(1)[0]!.id)
  })

  it('are all of known kinds, each listed once', () => {
    expect(new Set(FINDING_KINDS).size).to.equal(21)
  })
})

describe('findings of the floor', () => {
  it('hotspot: slow, or called often; by the usual frame, not by a few bad ones', () => {
    const often = find(night(400, () => ({ inside: runs(300, 'tiny', 4_000) })))
    expect(often.map(({ kind, names }) => [kind, names.at(-1)])).to.deep.equal([['hotspot', 'tiny']])
    expect(often[0]!.text).to.contain('None of them is slow; there are many.')
    expect(often[0]!.remedies).to.contain('one-manager')
    const rare = find(
      night(400, (frame) => ({ inside: [run('mostly nothing', frame % 9 === 4 ? 9 * MS : 100_000)] })),
    )
    expect(ofKind(rare, 'hotspot')).to.deep.equal([])
  })

  it('needless-updates: by what runs say, what runs inside them counted once', () => {
    const frames = night(300, () => ({
      inside: [
        ...runs(10, 'update', 50_000, { effect: true }),
        ...runs(30, 'update', 40_000, { effect: false, children: [run('inner', 10_000, { effect: false })] }),
      ],
    }))
    const found = ofKind(find(frames), 'needless-updates')
    expect(found.map(({ names }) => names)).to.deep.equal([['sim', 'update']])
    expect(found[0]!.costNs).to.be.closeTo(30 * 50_000, 1)
    expect(found[0]!.text).to.contain('runs 40 times a frame, and 30.0 of these change nothing')
  })

  it('needless-updates: by the flags of updaters that say nothing themselves', () => {
    const frames = night(300, () => ({ inside: runs(50, 'npc', 30_000), updaters: { npcs: [60, 50, 20] } }))
    const [found] = ofKind(find(frames, { classes: { npcs: 'npc' } }), 'needless-updates')
    expect(found!.subject).to.equal('asleep')
    expect(found!.costNs).to.be.closeTo(50 * 30_000 * 0.4, 1)
    expect(found!.confidence).to.equal('medium')
    const awake = night(300, () => ({ inside: runs(50, 'npc', 30_000), updaters: { npcs: [60, 50, 2] } }))
    expect(ofKind(find(awake, { classes: { npcs: 'npc' } }), 'needless-updates')).to.deep.equal([])
  })

  it('polling: runs a second against changes a second of what is watched', () => {
    const markers = { text: { watches: ['tally'] } }
    const polled = night(600, (frame) => ({
      inside: [run('text', 400_000)],
      watches: { tally: [1, frame % 30 === 0 ? 1 : 0] },
    }))
    const [found] = find(polled, { markers })
    expect(found).to.include({ kind: 'polling', confidence: 'high' })
    expect(found!.costNs).to.be.closeTo(400_000 * (29 / 30), 100)
    const onChange = night(600, (frame) => ({
      inside: frame % 30 === 0 ? [run('text', 400_000)] : [],
      watches: { tally: [1, frame % 30 === 0 ? 1 : 0] },
    }))
    expect(ofKind(find(onChange, { markers }), 'polling')).to.deep.equal([])
  })

  it('repeated-check: the same question answered alike in the same frame', () => {
    const ask = (times: number) =>
      night(200, () => ({
        inside: [1, 2, 3].flatMap((key) => runs(times, 'test', 60_000, { key, effect: true })),
      }))
    const [found] = ofKind(find(ask(4)), 'repeated-check')
    expect(found!.costNs).to.be.closeTo(9 * 60_000, 1)
    expect(found!.text).to.contain('3.00 would do')
    expect(ofKind(find(ask(1)), 'repeated-check')).to.deep.equal([])
  })

  it('lookup-in-update: tagged searches of the steady state', () => {
    const frames = night(200, () => ({ inside: runs(20, 'find', 15_000) }))
    const markers = { find: { tags: ['search'] } }
    expect(find(frames, { markers })[0]).to.include({ kind: 'lookup-in-update', costNs: 300_000 })
    expect(ofKind(find(frames), 'lookup-in-update')).to.deep.equal([])
    const once = night(200, (frame) => ({ inside: frame === 3 ? runs(20, 'find', 15_000) : [] }))
    expect(ofKind(find(once, { markers }), 'lookup-in-update')).to.deep.equal([])
  })

  it('all-pairs: each of many runs costs in proportion to another number', () => {
    const wave = (frame: number) => 200 + Math.round(100 * Math.sin(frame / 40))
    const paired = (seed: number) =>
      night(
        900,
        (frame, random) => ({
          inside: runs(60, 'measure', noisy(random, wave(frame) * 100, 0.1)),
          gauges: { lights: wave(frame), other: 50 + Math.round(10 * normalFrom(random)) },
        }),
        seed,
      )
    for (const seed of [1, 2, 3]) {
      const [found] = ofKind(find(paired(seed)), 'all-pairs')
      expect(found).to.include({ subject: 'lights', view: 'scaling' })
      expect(found!.names.at(-1)).to.equal('measure')
      expect(found!.recoverableNs / found!.costNs).to.be.greaterThan(0.7)
    }
    const bucketed = night(900, (frame, random) => ({
      inside: runs(60, 'measure', noisy(random, 20_000, 0.1)),
      gauges: { lights: wave(frame) },
    }))
    expect(ofKind(find(bucketed), 'all-pairs')).to.deep.equal([])
  })

  it('all-pairs: against instances of a class, which its evidence is set against', () => {
    const wave = (frame: number) => 200 + Math.round(100 * Math.sin(frame / 40))
    const frames = night(900, (frame, random) => {
      const more = frame === 0 ? wave(0) : wave(frame) - wave(frame - 1)
      return {
        inside: runs(60, 'measure', noisy(random, wave(frame) * 100, 0.1)),
        lives: { moth: [Math.max(0, more), Math.max(0, -more)] },
        gauges: { other: 50 + Math.round(10 * normalFrom(random)) },
      }
    })
    const [found] = ofKind(find(frames), 'all-pairs')
    expect(found).to.include({ subject: 'moth', view: 'scaling', load: 'class 0' })
  })

  it('all-pairs: not where a machine grew slower while a load grew', () => {
    const frames = night(900, (frame, random) => ({
      inside: runs(60, 'measure', noisy(random, frame < 450 ? 15_000 : 30_000, 0.1)),
      gauges: { letters: (frame < 450 ? 40 : 90) + Math.round(8 * normalFrom(random)) },
    }))
    expect(ofKind(find(frames), 'all-pairs')).to.deep.equal([])
  })

  it('all-pairs: one run that grows with the square', () => {
    const load = (frame: number) => 60 + Math.round(40 * Math.sin(frame / 50))
    const frames = night(900, (frame, random) => ({
      inside: [run('nested', noisy(random, load(frame) ** 2 * 150, 0.05))],
      gauges: { entries: load(frame) },
    }))
    const [found] = ofKind(find(frames), 'all-pairs')
    expect(found!.text).to.contain('grows with the square of entries')
    const linear = night(900, (frame, random) => ({
      inside: [run('nested', noisy(random, load(frame) * 9000, 0.05))],
      gauges: { entries: load(frame) },
    }))
    expect(ofKind(find(linear), 'all-pairs')).to.deep.equal([])
  })

  it('growth: a leak of one a second among bursts, and what follows it', () => {
    const leaky = (leak: boolean) => {
      let kept = 0
      return night(1800, (frame, random) => {
        const burst = random() < 0.02 ? Math.floor(random() * 12) : 0
        const [born, died] = [burst + (leak && frame % 60 === 0 ? 1 : 0), burst]
        kept += born - died
        return { lives: { ghost: [born, died] }, inside: [run('haunt', 20_000 + kept * 4_000)] }
      })
    }
    const [found] = ofKind(find(leaky(true)), 'growth')
    expect(found).to.include({ subject: 'ghost', folded: false })
    expect(found!.names.at(-1)).to.equal('haunt')
    // One a second costs 4 µs: ten minutes on, 600 of them.
    expect(found!.comingNs).to.be.closeTo(20_000 + 630 * 4_000, 500_000)
    expect(ofKind(find(leaky(false)), 'growth')).to.deep.equal([])
  })

  it('growth: a class and the gauge of the same things are one finding, that of the class', () => {
    const found = ofKind(
      find(
        night(1800, (frame) => ({
          // The gauge is declared first, and its name has an s in the middle as well.
          gauges: { wasps: 3 + Math.floor(frame / 60), letters: 5 + Math.floor(frame / 90) },
          lives: {
            wasp: [frame % 60 === 0 ? 1 : 0, 0],
            moth: [frame % 45 === 0 ? 2 : 0, frame % 90 === 0 ? 1 : 0],
          },
        })),
      ),
      'growth',
    )
    expect(found.map(({ subject, load }) => [subject, load!.split(' ')[0]]).sort()).to.deep.equal([
      ['letters', 'gauge'],
      ['moth', 'class'],
      ['wasp', 'class'],
    ])
    // What never dies cannot be used again; of what a gauge counts nobody knows.
    const pools = Object.fromEntries(
      found.map(({ subject, remedies }) => [subject, remedies.includes('pool')]),
    )
    expect(pools).to.deep.equal({ letters: true, moth: true, wasp: false })
  })

  it('growth: its path is the one whose cost follows it most closely, wherever that stands', () => {
    const grown = (names: string[]) =>
      ofKind(
        find(
          night(1800, (frame, random) => ({
            gauges: { letters: 5 + frame / 30 },
            inside: names.map((name) =>
              run(
                name,
                20_000 +
                  (frame / 30) *
                    2_000 *
                    (name === 'sort' ? 1 : 0.6 + 0.8 * (Math.floor(frame / 100) % 2 === 0 ? 1 : random())),
              ),
            ),
          })),
        ),
        'growth',
      )[0]!.names.at(-1)
    expect(grown(['sort', 'post'])).to.equal('sort')
    expect(grown(['post', 'sort'])).to.equal('sort')
  })

  it('growth: not what fills up and stays, nor what a ramp does on purpose', () => {
    const filling = night(1800, (frame) => ({ gauges: { letters: Math.min(80, frame / 4) + (frame % 7) } }))
    expect(ofKind(find(filling), 'growth')).to.deep.equal([])
    const ramp = night(1800, (frame) => ({
      gauges: { letters: frame / 4 },
      moments: frame === 0 ? ['ramp'] : [],
    }))
    expect(ofKind(find(ramp), 'growth')).to.deep.equal([])
  })

  it('shift: steps are judged each by itself, not by how many a frame has', () => {
    // From frame 400 on the display is half as fast: twice the steps in each frame, each as dear as ever, or dearer.
    const stepping = (laterNs: number) =>
      night(900, (frame, random) => {
        const steps = (frame < 400 ? 2 : 4) + (frame % 7 === 0 ? 1 : 0)
        const eachNs = frame < 400 ? 0.5 * MS : laterNs
        return {
          steps,
          inside: runs(steps, 'step', 1000, { children: [run('solve', noisy(random, eachNs))] }),
        }
      })
    expect(ofKind(find(stepping(0.5 * MS)), 'shift')).to.deep.equal([])
    const [found] = ofKind(find(stepping(MS)), 'shift')
    expect(found!.names.at(-1)).to.equal('solve')
    // Told by the usual frame's four steps: half a millisecond more for each.
    expect(found!.costNsWhereItStrikes).to.be.closeTo(4 * 0.5 * MS, 0.2 * MS)
  })

  it('shift: the floor rises at a frame and stays, by the path that rose', () => {
    const frames = night(900, (frame, random) => ({
      inside: [run('weather', noisy(random, frame < 400 ? MS : 3 * MS))],
    }))
    const [found] = ofKind(find(frames), 'shift')
    expect(found!.names.at(-1)).to.equal('weather')
    expect(found!.costNsWhereItStrikes).to.be.closeTo(2 * MS, 0.2 * MS)
    expect(found!.costNs).to.be.closeTo((2 * MS * 500) / 900, 0.2 * MS)
    expect(found!.frames[0]).to.be.closeTo(400, 40)
    const wave = night(900, (frame, random) => ({
      inside: [run('weather', noisy(random, (2 + Math.sin(frame / 30)) * MS))],
    }))
    expect(ofKind(find(wave), 'shift')).to.deep.equal([])
    const falling = night(900, (frame, random) => ({
      inside: [run('weather', noisy(random, frame < 400 ? 3 * MS : MS))],
    }))
    expect(ofKind(find(falling), 'shift')).to.deep.equal([])
  })
})

describe('findings of single frames', () => {
  it('spike-family: bursts at a moment', () => {
    const frames = night(1200, (frame) => ({
      inside: frame % 300 === 100 ? runs(40, 'search', 0.5 * MS) : [],
      moments: frame % 300 === 100 ? ['gate'] : [],
    }))
    const [found] = ofKind(find(frames), 'spike-family')
    expect(found).to.include({ subject: 'gate', trouble: 'spike' })
    expect(found!.text).to.contain('search ran 40 times for 20.0 ms, usually not at all')
    expect(found!.recoverableNsWhereItStrikes).to.be.closeTo(20 * MS, 0.1 * MS)
    expect(found!.recoverableNs).to.be.closeTo((20 * MS * 4) / 1200, 1000)
  })

  it('spike-family: not a few slow runs at no particular time', () => {
    const slow = new Set([120, 333, 801])
    const frames = night(1200, (frame) => ({ inside: [run('plain', slow.has(frame) ? 16 * MS : MS)] }))
    expect(ofKind(find(frames), 'spike-family')).to.deep.equal([])
  })

  it('long-call: one run takes a quarter of the budget now and then', () => {
    const frames = night(1200, (frame) => ({ inside: frame % 170 === 90 ? [run('save', 6 * MS)] : [] }))
    const [found] = ofKind(find(frames), 'long-call')
    expect(found!.names.at(-1)).to.equal('save')
    expect(found!.costNsWhereItStrikes).to.be.closeTo(6 * MS, 1)
    expect(found!.frames).to.have.length(7)
  })

  it('nothing of the game: the recorder’s own runs, however long', () => {
    const frames = night(1200, (frame) => ({
      inside: frame % 170 === 90 ? [run('recorder.send', 6 * MS)] : [],
    }))
    expect(ofKind(find(frames), 'long-call')).to.have.length(1)
    expect(find(frames, { markers: { 'recorder.send': { group: 'recorder' } } })).to.deep.equal([])
  })

  it('lock-step: periodic work in the same frames, and not when it is apart or one thing', () => {
    const chores = (phase: number, around = false) =>
      night(900, (frame) => {
        const work = [
          ...(frame % 60 === 10 ? [run('sweep', 2 * MS)] : []),
          ...(frame % 60 === phase ? [run('audit', 1.5 * MS)] : []),
        ]
        return { inside: around && work.length > 0 ? [run('house', 1000, { children: work })] : work }
      })
    const [found] = ofKind(find(chores(10)), 'lock-step')
    expect(found!.recoverableNsWhereItStrikes).to.be.closeTo(1.5 * MS, 1)
    expect(found!.text).to.contain('fall into the same frames, 15 times of 15')
    expect(ofKind(find(chores(40)), 'lock-step')).to.deep.equal([])
    expect(ofKind(find(chores(10, true)), 'lock-step')).to.deep.equal([])
  })

  it('catch-up: steps that multiply after a long frame', () => {
    const stepped = (most: number) =>
      night(600, (frame) => {
        const steps = frame % 100 === 51 ? most : frame % 10 === 0 ? 3 : 2
        return { steps, inside: runs(steps, 'step', 0.3 * MS) }
      })
    const [found] = ofKind(find(stepped(12)), 'catch-up')
    expect(found!.names.at(-1)).to.equal('step')
    expect(found!.costNsWhereItStrikes).to.be.closeTo(10 * 0.3 * MS, 1)
    expect(found!.frames).to.have.members([51, 151, 251, 351, 451, 551])
    expect(ofKind(find(stepped(4)), 'catch-up')).to.deep.equal([])
  })

  it('held-by-graphics and held-by-refresh: late though the work fits', () => {
    const held = (kind: 'wait:graphics' | 'wait:refresh') =>
      find(
        night(400, (frame) => ({ runs: frame % 20 === 7 ? [run('wait', 15 * MS)] : [] })),
        { markers: { wait: { kind }, refresh: { kind: 'work' } } },
      )
    // What is called refresh is work here, so that only the wait can hold.
    const frames = night(400, (frame) => ({ runs: frame % 20 === 7 ? [run('gpu', 18 * MS)] : [] }))
    const [found] = ofKind(find(frames, { markers: { gpu: { kind: 'wait:graphics' } } }), 'held-by-graphics')
    expect(found!.costNsWhereItStrikes).to.be.closeTo(18 * MS, 0.5 * MS)
    expect(found!.text).to.contain('20 frames (5.00 %) are late')
    expect(ofKind(held('wait:graphics'), 'held-by-refresh')).to.deep.equal([])
    const late = night(400, (frame) => ({ runs: frame % 20 === 7 ? [run('refresh', 16 * MS)] : [] }))
    expect(ofKind(find(late), 'held-by-refresh')).to.have.length(1)
  })

  it('job-wait: with what ran on the other lane', () => {
    const frames = night(200, (frame) => ({
      runs: frame % 10 === 0 ? [run('join', 3 * MS, { key: frame + 1 })] : [],
      worker: frame % 10 === 0 ? [run('blow', MS, { children: [run('octave', 2 * MS)] })] : [],
    }))
    const starts: number[] = []
    let at = 0
    for (const { runs: spans } of frames) {
      starts.push(at)
      at += spans.reduce(
        (sum, span) => sum + span.selfNs + (span.children ?? []).reduce((a, b) => a + b.selfNs, 0),
        0,
      )
    }
    const joins = frames.flatMap((_, frame) => (frame % 10 === 0 ? [frame] : []))
    const jobs = {
      job: Uint32Array.from(joins.flatMap((_, i) => [i + 1, i + 1])),
      event: Uint8Array.from(joins.flatMap(() => [1, 2])),
      lane: Uint32Array.from(joins.flatMap(() => [1, 1])),
      marker: Uint32Array.from(joins.flatMap(() => [0, 0])),
      atNs: Float64Array.from(joins.flatMap((frame) => [starts[frame]! + 1000, starts[frame]! + 18 * MS])),
    }
    const markers = { blow: {}, ...REFRESH, join: { kind: 'wait:job' as const } }
    const [found] = ofKind(findingsOf(studyFrom(frames, { markers, jobs })), 'job-wait')
    expect(found!.subject).to.equal('blow')
    expect(found!.text).to.contain(
      'What ended last was blow on worker, 20 times, most of it in blow > octave.',
    )
    expect(found!.costNs).to.be.closeTo((3 * MS) / 10, 1)
  })
})

describe('findings of memory', () => {
  const COLLECT = { 'collection (minor)': { kind: 'collect' as const } }

  it('collection-pauses: with who allocated most', () => {
    const frames = night(600, (frame) => ({
      inside: [
        run('greedy', 100_000, { bytes: 90_000 }),
        run('modest', 100_000, { bytes: 10_000 }),
        ...(frame % 100 === 50 ? [run('collection (minor)', 4 * MS)] : []),
      ],
    }))
    const found = find(frames, { markers: COLLECT })
    const [pauses] = ofKind(found, 'collection-pauses')
    expect(pauses!.costNsWhereItStrikes).to.be.closeTo(4 * MS, 1)
    expect(pauses!.text).to.contain('90.0 % by greedy')
    const [steady] = ofKind(found, 'steady-allocation')
    expect(steady!.names.at(-1)).to.equal('greedy')
    expect(steady!.costNsWhereItStrikes).to.be.closeTo(0.9 * 4 * MS, 10_000)
    expect(ofKind(found, 'steady-allocation')).to.have.length(1)
  })

  it('steady-allocation: not what is allocated while the game waits', () => {
    const greedy = (name: string, kind: MarkerKind) =>
      ofKind(
        find(
          night(600, (frame) => ({
            inside: frame % 100 === 99 ? [run('collection (minor)', 3 * MS)] : [],
            runs: [run(name, 100_000, { bytes: 20_000 })],
          })),
          { markers: { ...COLLECT, [name]: { kind } } },
        ),
        'steady-allocation',
      ).map(({ names }) => names.at(-1))
    expect(greedy('greedy', 'work')).to.deep.equal(['greedy'])
    for (const kind of ['wait:refresh', 'wait:io'] as const) expect(greedy('rest', kind)).to.deep.equal([])
  })

  it('spawn-churn: by the path that runs as often as instances are born', () => {
    const churning = (pooled: boolean) =>
      night(600, (frame) => {
        const arrives = frame % 2 === 0 ? 1 : 0
        const leaves = frame > 60 && frame % 2 === 1 ? 1 : 0
        return {
          inside: [
            ...runs(arrives, 'make', 300_000, { bytes: pooled ? 0 : 80_000 }),
            run('rest', 10_000, { bytes: 20_000 }),
            ...(frame % 100 === 99 ? [run('collection (minor)', 3 * MS)] : []),
          ],
          lives: { letter: pooled ? [0, 0] : [arrives, leaves] },
        }
      })
    const [found] = ofKind(find(churning(false), { markers: COLLECT }), 'spawn-churn')
    expect(found).to.include({ subject: 'letter', trouble: 'floor' })
    expect(found!.names.at(-1)).to.equal('make')
    // Two thirds of the bytes, so two thirds of each of six pauses; and 300 that are made.
    const sumNs = 6 * (2 / 3) * 3 * MS + 300 * 300_000
    expect(found!.costNs).to.be.closeTo(sumNs / 600, 2_000)
    expect(found!.costNsWhereItStrikes).to.be.closeTo(sumNs / 306, 4_000)
    expect(ofKind(find(churning(true), { markers: COLLECT }), 'spawn-churn')).to.deep.equal([])
  })
})

describe('findings at the edges', () => {
  const plain = (count: number) => night(count, () => ({ inside: [run('slow', 3 * MS)] }))

  it('stand for no frames, one frame and ten', () => {
    expect(findingsOf(studyFrom([]))).to.deep.equal([])
    for (const count of [1, 2, 10]) {
      const found = find(plain(count))
      expect(
        found.map(({ kind }) => kind),
        `${count} frames`,
      ).to.deep.equal(['hotspot'])
      for (const finding of found) expect(Number.isFinite(finding.costNs)).to.equal(true)
    }
  })

  it('never hold a figure that is no number, whatever the frames are', () => {
    const anyRun = fc.record({
      marker: fc.constantFrom('a', 'b', 'w', 'g'),
      selfNs: fc.nat(30 * MS),
      key: fc.nat(3),
      bytes: fc.nat(100_000),
      effect: fc.boolean(),
    })
    const anyFrame = fc.record({
      runs: fc.array(anyRun, { maxLength: 6 }),
      restNs: fc.nat(2_000 * MS),
      steps: fc.nat(9),
      gauges: fc.record({ n: fc.double({ noNaN: true, min: -1e6, max: 1e6 }) }),
      lives: fc.record({ thing: fc.tuple(fc.nat(5), fc.nat(5)) }, { requiredKeys: [] }),
      updaters: fc.record({ crowd: fc.tuple(fc.nat(9), fc.nat(9), fc.nat(9)) }, { requiredKeys: [] }),
      watches: fc.record({ seen: fc.tuple(fc.nat(3), fc.nat(3)) }, { requiredKeys: [] }),
      moments: fc.array(fc.constantFrom('x', 'y'), { maxLength: 2 }),
    })
    fc.assert(
      fc.property(fc.array(anyFrame, { maxLength: 150 }), (frames) => {
        const markers = {
          w: { kind: 'wait:job' as const },
          g: { kind: 'collect' as const },
          a: { watches: ['seen'], tags: ['search'] },
        }
        const classes = { crowd: 'b' }
        const study = studyFrom(frames as TestFrame[], { markers, classes })
        const evidence = gatherEvidence(study)
        for (const { msPerFrame, msPerHour, runsPerSecond } of rosterOf(evidence)) {
          expect([msPerFrame, msPerHour, runsPerSecond].every(Number.isFinite)).to.equal(true)
        }
        const { bytesPerSecond, collections, classes: alive } = memoryOf(evidence)
        const rates = [
          bytesPerSecond,
          ...collections.map((one) => one.perMinute),
          ...alive.map((one) => one.bornPerSecond),
        ]
        expect(rates.every(Number.isFinite)).to.equal(true)
        for (const found of findingsOf(study)) {
          // The one rule of costs: a sum is the same whichever way it is told, and no more comes back than was spent.
          const near = 1e-9 * (1 + found.costNs)
          expect(found.costNs, found.kind).to.be.at.most(found.costNsWhereItStrikes + near)
          expect(found.recoverableNs, found.kind).to.be.at.most(found.costNs + near)
          expect(found.recoverableNsWhereItStrikes, found.kind).to.be.at.most(
            found.costNsWhereItStrikes * (1 + 1e-9) + 1e-9,
          )
          for (const figure of [
            found.costNs,
            found.recoverableNs,
            found.costNsWhereItStrikes,
            found.comingNs,
          ]) {
            expect(Number.isFinite(figure) && figure >= 0, `${found.kind}: ${found.text}`).to.equal(true)
          }
          expect(found.recoverableNs).to.be.at.most(found.costNs * (1 + 1e-9))
          expect(found.text).not.to.match(/NaN|Infinity|undefined/)
        }
      }),
      { numRuns: 100 },
    )
  })

  it('hold with a clock of 100 µs', () => {
    const coarse = (ns: number) => Math.round(ns / 100_000) * 100_000
    const frames = night(900, (frame, random) => ({
      inside:
        frame % 300 === 150
          ? [run('burst', coarse(noisy(random, 20 * MS)))]
          : [run('plain', coarse(noisy(random, 2 * MS, 0.2)))],
      moments: frame % 300 === 150 ? ['gate'] : [],
    }))
    expect(find(frames).map(({ kind }) => kind)).to.include('spike-family')
    expect(ofKind(find(frames), 'all-pairs')).to.deep.equal([])
  })

  it('are without the recorder what they would have been', () => {
    const recorder = { spanNs: 200, insideNs: 80, clockReadNs: 50, clockResolutionNs: 50 }
    const bare = night(200, () => ({ inside: runs(300, 'tiny', 4_000) }))
    const inflated = bare.map((frame) => ({
      ...frame,
      runs: frame.runs.map(function inflate(span: Run): Run {
        const children = (span.children ?? []).map(inflate)
        return { ...span, selfNs: span.selfNs + 80 + children.length * 120, children }
      }),
    }))
    const game = { markers: REFRESH, conditions: { recorder } }
    const [before] = findingsOf(studyFrom(bare, game))
    const [after] = findingsOf(studyWithoutRecorder(studyFrom(inflated, game)))
    expect(after!.costNs).to.be.closeTo(before!.costNs, 1)
  })
})
