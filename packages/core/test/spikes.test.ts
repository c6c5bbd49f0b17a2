import { expect } from 'chai'
import fc from 'fast-check'
import { COVERED, gatherEvidence, type Evidence } from '@lapsus/core/detect'
import {
  normalFrom,
  randomFrom,
  run,
  runs,
  studyFrom,
  type TestFrame,
  type TestGame,
} from './support/studies.ts'

const MS = 1e6
const evidenceOf = (frames: TestFrame[], game: TestGame = {}): Evidence =>
  gatherEvidence(studyFrom(frames, game))

/** A quiet frame: 8 ms of work in three places, with normal noise, then the refresh. */
function quiet(random: () => number, noise = 0.05): TestFrame {
  const noisy = (ns: number) => Math.max(1000, Math.round(ns * (1 + noise * normalFrom(random))))
  return {
    runs: [
      run('sim', noisy(MS), {
        children: [run('moths', noisy(4 * MS)), ...runs(3, 'plan', noisy(0.5 * MS)), run('belts', noisy(MS))],
      }),
    ],
    restNs: 0.2 * MS,
  }
}

const quietFrames = (count: number, seed = 1, noise = 0.05): TestFrame[] => {
  const random = randomFrom(seed)
  return Array.from({ length: count }, () => quiet(random, noise))
}

/** Adds a child to what runs in a frame. */
const plant = (frame: TestFrame, ...extra: ReturnType<typeof run>[]) =>
  frame.runs[0]!.children!.push(...extra)

describe('spikes', () => {
  it('are found where they were planted, and explained by what was planted', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1e6 }), fc.integer({ min: 70, max: 200 }), (seed, every) => {
        const frames = quietFrames(every * 5 + 40, seed)
        const planted: number[] = []
        for (let frame = every; frame < frames.length; frame += every) {
          plant(frames[frame]!, run('burst', 12 * MS))
          planted.push(frame)
        }
        const evidence = evidenceOf(frames)
        expect(evidence.spikes.map(({ frame }) => frame)).to.deep.equal(planted)
        for (const { causes, excessNs } of evidence.spikes) {
          expect(evidence.names(causes[0]!.path!)).to.deep.equal(['sim', 'burst'])
          expect(causes).to.have.length(1)
          expect(causes[0]).to.include({ calls: 1, usualCalls: 0, why: 'more-calls' })
          expect(excessNs).to.be.closeTo(12 * MS, 1.5 * MS)
        }
        expect(evidence.families).to.have.length(1)
        const [family] = evidence.families
        expect(family!.spikes).to.have.length(planted.length)
        const frameMs = 8.7
        expect(family!.period!.ms / (every * frameMs)).to.be.closeTo(1, 0.15)
        expect(family!.moment).to.equal(null)
      }),
      { numRuns: 12 },
    )
  })

  it('are none where frames are only noisy, however heavy the noise', () => {
    let alarms = 0
    for (let seed = 1; seed <= 30; seed++) {
      const random = randomFrom(seed)
      // Long tails: a log-normal factor on all that runs, with a middle of 7 ms.
      const frames = Array.from({ length: 600 }, () => ({
        runs: [run('sim', Math.round(7 * MS * Math.exp(0.2 * normalFrom(random))))],
      }))
      alarms += evidenceOf(frames).spikes.length
    }
    expect(alarms).to.equal(0)
  })

  it('tell more calls from slower ones', () => {
    const frames = quietFrames(300)
    plant(frames[100]!, ...runs(40, 'plan', 0.5 * MS))
    frames[200]!.runs[0]!.children![0] = run('moths', 20 * MS)
    const [more, slower] = evidenceOf(frames).spikes
    expect(more!.causes[0]).to.include({ calls: 43, usualCalls: 3, why: 'more-calls' })
    expect(more!.causes[0]!.excessNs).to.be.closeTo(20 * MS, 0.3 * MS)
    expect(slower!.causes[0]).to.include({ calls: 1, usualCalls: 1, why: 'slower-calls' })
    expect(slower!.causes[0]!.usualNs).to.be.closeTo(4 * MS, 0.2 * MS)
  })

  it('tell a collection and time outside any marker by what they are', () => {
    const frames = quietFrames(300)
    frames[100]!.runs[0]!.children![0]!.children = [run('collection (major)', 15 * MS)]
    frames[200]!.restNs = 14 * MS
    const [collected, unmarked] = evidenceOf(frames, {
      markers: { 'collection (major)': { kind: 'collect' } },
    }).spikes
    expect(collected!.causes[0]!.why).to.equal('collection')
    expect(unmarked!.causes[0]).to.include({ path: null, why: 'slower-calls' })
  })

  it('are held where a frame waits although its work fits', () => {
    const frames = quietFrames(300)
    for (const at of [90, 180, 270]) frames[at]!.runs.push(run('disk', 40 * MS))
    const { spikes, families } = evidenceOf(frames, { markers: { disk: { kind: 'wait:io' } } })
    expect(spikes.map(({ frame, held }) => [frame, held])).to.deep.equal([
      [90, true],
      [180, true],
      [270, true],
    ])
    expect(spikes[0]!.causes.map(({ why }) => why)).to.deep.equal(['waiting'])
    expect(spikes[0]!.workNs).to.be.lessThan(10 * MS)
    expect(families[0]!.held).to.equal(true)
  })

  it('are explained by the fewest paths that cover nine tenths of the excess', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 8000 }), { minLength: 1, maxLength: 8 }), (extras) => {
        fc.pre(extras.reduce((a, b) => a + b, 0) > 12_000)
        const frames = Array.from({ length: 130 }, () => ({ runs: [run('sim', 6 * MS)] }) as TestFrame)
        frames[65]!.runs.push(...extras.map((us, i) => run(`extra ${i}`, us * 1000)))
        const [spike] = evidenceOf(frames).spikes
        const sizes = extras.map((us) => us * 1000).sort((a, b) => b - a)
        const all = sizes.reduce((a, b) => a + b, 0)
        let fewest = 0
        for (let sum = 0; sum < COVERED * all; fewest++) sum += sizes[fewest]!
        expect(spike!.causes.length).to.equal(fewest)
        expect(spike!.excessNs).to.equal(all)
      }),
      { numRuns: 40 },
    )
  })

  it('close together are one episode, with its worst frame', () => {
    const frames = quietFrames(300)
    for (const [at, cost] of [
      [100, 10],
      [101, 14],
      [104, 11],
      [120, 12],
    ] as const)
      plant(frames[at]!, run('burst', cost * MS))
    const { spikes } = evidenceOf(frames)
    expect(spikes.map(({ from, frame, to }) => [from, frame, to])).to.deep.equal([
      [100, 101, 104],
      [120, 120, 120],
    ])
    expect(spikes[0]!.severityNs).to.be.closeTo(35 * MS, 4 * MS)
  })

  it('are not a step that stays', () => {
    const random = randomFrom(4)
    const frames = Array.from({ length: 600 }, (_, i) => ({
      runs: [run('sim', Math.round((i < 300 ? 8 : 19) * MS * (1 + 0.03 * normalFrom(random))))],
    }))
    expect(evidenceOf(frames).spikes).to.have.length(0)
  })

  it('leave out a game that was paused', () => {
    const frames = quietFrames(300)
    frames[150]!.restNs = 5000 * MS
    const evidence = evidenceOf(frames)
    expect(evidence.spikes).to.have.length(0)
    expect(evidence.isPause[150]).to.equal(1)
    expect(evidence.normalFrames).to.equal(299)
  })

  it('are judged within the stretch that was kept', () => {
    const frames = [
      ...quietFrames(100),
      ...quietFrames(100, 2).map((frame) => ({ ...frame, restNs: 12 * MS })),
    ]
    plant(frames[50]!, run('burst', 12 * MS))
    expect(evidenceOf(frames, { stretches: [100] }).spikes.map(({ frame }) => frame)).to.deep.equal([50])
  })
})

describe('families of spikes', () => {
  /** Bursts after a bell, and others at no particular time. */
  function withBells(seed: number): { frames: TestFrame[]; bells: number[] } {
    const frames = quietFrames(2000, seed)
    const bells: number[] = []
    const random = randomFrom(seed + 100)
    for (let at = 100; at < 1900; at += 150 + Math.floor(random() * 60)) {
      frames[at]!.moments = ['bell']
      plant(frames[at + 1]!, run('roll', 11 * MS))
      bells.push(at)
    }
    for (let at = 40; at < 2000; at += 61) frames[at]!.moments = [...(frames[at]!.moments ?? []), 'tick']
    for (let i = 0; i < 6; i++) plant(frames[60 + Math.floor(random() * 1800)]!, run('stray', (12 + i) * MS))
    return { frames, bells }
  }

  it('have the moment that they follow, and no other', () => {
    for (const seed of [1, 2, 3]) {
      const { frames, bells } = withBells(seed)
      const evidence = evidenceOf(frames)
      const roll = evidence.families.find(({ causes }) => evidence.names(causes[0]!.path!).at(-1) === 'roll')!
      expect(roll.moment).to.include({ name: 'bell', times: bells.length })
      expect(roll.moment!.members).to.be.at.least(bells.length - 2)
      expect(roll.moment!.lift).to.be.greaterThan(10)
      expect(roll.moment!.chance).to.be.lessThan(1e-6)
      for (const family of evidence.families) if (family !== roll) expect(family.moment).to.equal(null)
    }
  })

  it('keep different causes apart, and put together what has the same', () => {
    const frames = quietFrames(1200)
    for (const at of [100, 300, 500]) plant(frames[at]!, run('a', 12 * MS), run('b', 3 * MS))
    for (const at of [200, 420, 700]) plant(frames[at]!, run('b', 14 * MS))
    for (const at of [800, 1000]) plant(frames[at]!, run('a', 25 * MS), run('b', 4 * MS))
    const evidence = evidenceOf(frames)
    const sizes = evidence.families.map(({ causes, spikes }) => [
      evidence.names(causes[0]!.path!).at(-1),
      spikes.length,
    ])
    expect(sizes).to.deep.equal([
      ['a', 5],
      ['b', 3],
    ])
  })

  it('have no period when they come by accident, or all within a moment of the take', () => {
    const frames = quietFrames(3000)
    for (const at of [210, 240, 270, 300, 330, 360, 390]) plant(frames[at]!, run('burst', 15 * MS))
    expect(evidenceOf(frames).families[0]!.period).to.equal(null)
    const scattered = quietFrames(3000)
    for (const at of [210, 240, 270, 700, 730, 1900]) plant(scattered[at]!, run('burst', 15 * MS))
    expect(evidenceOf(scattered).families[0]!.period).to.equal(null)
    const oneMissing = quietFrames(2000)
    for (const at of [200, 500, 800, 1400, 1700]) plant(oneMissing[at]!, run('burst', 15 * MS))
    expect(evidenceOf(oneMissing).families[0]!.period!.ms).to.be.closeTo(300 * 7.75, 60)
  })
})
