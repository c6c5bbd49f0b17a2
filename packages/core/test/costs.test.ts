/** The one rule of costs, by hand: the sum over the frames a finding is about ÷ all frames; and ÷ those it strikes in. */
import { expect } from 'chai'
import { findAll, gatherEvidence, memoryOf, type Finding, type FindingKind } from '@lapsus/core/detect'
import { run, runs, studyFrom, type TestFrame, type TestGame } from './support/studies.ts'

const MS = 1e6
const BUDGET = 1e9 / 60

const found = (
  frames: TestFrame[],
  kind: FindingKind,
  game: TestGame = {},
): Finding & { names: string[] } => {
  const evidence = gatherEvidence(studyFrom(frames, game))
  const one = findAll(evidence).find((finding) => finding.kind === kind)
  expect(one, `a finding of kind ${kind}`).to.not.equal(undefined)
  return { ...one!, names: one!.path === null ? [] : evidence.names(one!.path) }
}
const frames = (count: number, make: (frame: number) => Partial<TestFrame>): TestFrame[] =>
  Array.from({ length: count }, (_, frame) => ({ runs: [], ...make(frame) }))

const expectCosts = (one: Finding, sumNs: number, strikes: number, count: number) => {
  expect(one.costNs).to.be.closeTo(sumNs / count, 1)
  expect(one.costNsWhereItStrikes).to.be.closeTo(sumNs / strikes, 1)
}

describe('costs', () => {
  it('of a path in three of five frames are its mean, not its median', () => {
    const one = found(
      frames(500, (frame) => ({ runs: [run('base', MS), ...runs(frame % 5 < 3 ? 1 : 0, 'heavy', 4 * MS)] })),
      'hotspot',
    )
    expect(one.trouble).to.equal('floor')
    expectCosts(one, 300 * 4 * MS, 300, 500)
  })

  it('of a path that is heavy in two of five frames are told, too', () => {
    const one = found(
      frames(500, (frame) => ({ runs: [run('base', MS), run('heavy', frame % 5 < 2 ? 4 * MS : 10_000)] })),
      'hotspot',
    )
    expect(one.names).to.deep.equal(['heavy'])
    expect(one.text).to.contain('heavy in 40.0 % of the frames')
    expectCosts(one, 200 * 4 * MS + 300 * 10_000, 500, 500)
  })

  it('of spikes of several frames are those of all of them', () => {
    // Ten frames each, four times: 20 ms more in each.
    const isBurst = (frame: number) => frame % 200 >= 100 && frame % 200 < 110
    const one = found(
      frames(800, (frame) => ({
        runs: [run('sim', 4 * MS), ...runs(isBurst(frame) ? 10 : 0, 'search', 2 * MS)],
        moments: frame % 200 === 100 ? ['gate'] : [],
      })),
      'spike-family',
    )
    expectCosts(one, 40 * 20 * MS, 40, 800)
  })

  it('of a wait in every frame are a floor, not single frames', () => {
    const one = found(
      frames(200, () => ({ runs: [run('sim', 4 * MS), run('join', 3 * MS)] })),
      'job-wait',
      { markers: { join: { kind: 'wait:job' } } },
    )
    expect(one.trouble).to.equal('floor')
    expectCosts(one, 200 * 3 * MS, 200, 200)
  })

  it('of chores that meet are found where their meetings are the spikes', () => {
    const one = found(
      frames(1200, (frame) => ({
        runs: [run('sim', 6 * MS), ...(frame % 40 === 7 ? [run('sweep', 9 * MS), run('audit', 7 * MS)] : [])],
      })),
      'lock-step',
    )
    expectCosts(one, 30 * 16 * MS, 30, 1200)
    expect(one.recoverableNsWhereItStrikes).to.be.closeTo(7 * MS, 1)
  })

  it('of collections count each, however many are in a frame', () => {
    const one = found(
      frames(400, (frame) => ({
        runs: [run('sim', 6 * MS), ...runs(frame % 100 === 50 ? 3 : 0, 'collection (minor)', 2 * MS)],
      })),
      'collection-pauses',
      { markers: { 'collection (minor)': { kind: 'collect' } } },
    )
    expect(one.text)
      .to.match(/^12 collections /)
      .and.to.contain('2.00 ms on average')
    expect(one.text).to.contain('How much is allocated is not recorded.')
    expectCosts(one, 12 * 2 * MS, 4, 400)
  })

  it('of polling leave out the runs that say they changed something', () => {
    const markers = { text: { watches: ['tally'] } }
    const polled = (effect: boolean) =>
      frames(300, (frame) => ({
        runs: [run('text', MS, effect ? { effect: frame % 3 === 0 } : {})],
        watches: { tally: [1, frame % 30 === 0 ? 1 : 0] },
      }))
    expect(found(polled(false), 'polling', { markers }).costNs).to.be.closeTo(MS * (1 - 10 / 300), 1)
    expect(found(polled(true), 'polling', { markers }).costNs).to.be.closeTo(MS * (1 - 100 / 300), 1)
  })

  it('of needless runs count by their cost, where their share is small', () => {
    const one = found(
      frames(100, () => ({
        runs: [...runs(19, 'update', 100_000, { effect: true }), run('update', MS, { effect: false })],
      })),
      'needless-updates',
    )
    expectCosts(one, 100 * MS, 100, 100)
  })

  it('of what a worker does for nothing are told, and on which lane', () => {
    const one = found(
      frames(100, () => ({
        runs: [run('sim', MS)],
        worker: runs(10, 'path job', 200_000, { effect: false }),
      })),
      'needless-updates',
    )
    expect(one.names).to.deep.equal(['path job'])
    expect(one.text).to.contain('on lane “worker”, beside the frame')
    expectCosts(one, 100 * 10 * 200_000, 100, 100)
  })

  it('of all against all are as recorded, though judged at equal speed', () => {
    // Each of 40 measures a hundred lights or more; the machine is half as fast again in the middle third.
    const slower = (frame: number) => (frame >= 300 && frame < 600 ? 1.5 : 1)
    const lights = (frame: number) => 100 + (frame % 20) * 10
    const steady = (frame: number) =>
      Array.from({ length: 6 }, (_, i) => run(`steady ${i}`, Math.round(0.3 * MS * slower(frame))))
    const cost = (frame: number) => Math.round(200 * lights(frame) * slower(frame))
    const recorded = frames(900, (frame) => ({
      runs: [...steady(frame), ...runs(40, 'measure', cost(frame))],
      gauges: { lights: lights(frame) },
    }))
    const one = found(recorded, 'all-pairs')
    expect(one.names).to.deep.equal(['measure'])
    expectCosts(
      one,
      recorded.reduce((sum, _, frame) => sum + 40 * cost(frame), 0),
      900,
      900,
    )
  })

  it('of time in no marker', () => {
    const one = found(
      frames(100, () => ({ runs: [run('sim', 2.5 * MS)], restNs: 10 * MS })),
      'unmarked-time',
    )
    expect(one.text).to.contain('10.0 ms of the usual frame’s 12.5 ms lie in no marker')
    expectCosts(one, 100 * 10 * MS, 100, 100)
  })

  it('of many small ones are told at the marker that holds them', () => {
    const small = Array.from({ length: 60 }, (_, i) => run(`small ${i}`, 0.09 * MS))
    const one = found(
      frames(60, () => ({
        runs: [
          run('frame', 1000, { children: [run('ui', 1000, { children: small }), run('sim', 1.5 * MS)] }),
        ],
      })),
      'spread-thin',
    )
    expect(one.names).to.deep.equal(['frame', 'ui'])
    expectCosts(one, 60 * 60 * 0.09 * MS, 60, 60)
  })

  it('of what grows are the path’s, and its rate is that of the time in which it was counted', () => {
    // 2 in each frame, kept in two stretches of 10 s with a minute between them that nobody recorded.
    const grown = frames(1200, (frame) => ({
      runs: [run('ghosts', 100_000 + frame * 5_000), run('rest', BUDGET - 100_000 - frame * 5_000)],
      lives: { ghost: [2, 0] as [number, number] },
    }))
    const study = studyFrom(grown, { stretches: [600] })
    study.frames.startNs.forEach((ns, frame) => {
      if (frame >= 600) study.frames.startNs[frame] = ns + 60e9
    })
    const evidence = gatherEvidence(study)
    const one = findAll(evidence).find(({ kind }) => kind === 'growth')!
    expect(one.text)
      .to.contain('by 120 a second')
      .and.to.contain('how many there are at the end is not known')
    expect(one.remedies[0]).to.equal('cap')
    expect(one.remedies).to.not.include('pool')
    expectCosts(one, 1200 * (100_000 + 599.5 * 5_000), 1200, 1200)
    expect(memoryOf(evidence).classes[0]!.bornPerSecond).to.be.closeTo(120, 0.1)
  })
})
