/** Trials: by hand, and by simulation of what is claimed of their intervals. */
import { expect } from 'chai'
import {
  blocksOf,
  framesOfVariant,
  LEFT_OUT,
  roundsOf,
  trialResult,
  trialsOf,
  type TrialResult,
} from '@lapsus/core/compare'
import { gatherEvidence, loadSources } from '@lapsus/core/detect'
import { answer } from '@lapsus/core/questions'
import { TRIAL } from '@lapsus/core/questions/trial'
import { meanInterval, normalTail, studentQuantile, studentTail } from '@lapsus/core/stats'
import { pickOfStudy, type Study } from '@lapsus/core/study'
import { sourceOfStudy } from './support/source.ts'
import { normalFrom, randomFrom, run, studyFrom, type TestFrame } from './support/studies.ts'

const MS = 1e6

describe('Student’s distribution', () => {
  it('is as tables have it', () => {
    // Of any table: t beyond which 2.5 % lie.
    const table: [number, number][] = [
      [1, 12.706],
      [2, 4.303],
      [5, 2.571],
      [10, 2.228],
      [30, 2.042],
    ]
    for (const [freedom, t] of table) expect(studentQuantile(0.025, freedom)).to.be.closeTo(t, 0.0006)
    // One degree of freedom is Cauchy's distribution; many are the normal one.
    for (const t of [-3, 0, 0.5, 2, 20])
      expect(studentTail(t, 1)).to.be.closeTo(0.5 - Math.atan(t) / Math.PI, 1e-9)
    for (const t of [-1, 0, 1, 2.5]) expect(studentTail(t, 1e6)).to.be.closeTo(normalTail(t), 1e-5)
  })

  it('gives means their intervals, and none where there is nothing to judge by', () => {
    const { mean, low, high, chance } = meanInterval([1, 2, 3, 4, 5])
    // 3 ± 2.776 × √(2.5 / 5)
    expect([mean, low, high].map((value) => value.toFixed(3))).to.deep.equal(['3.000', '1.037', '4.963'])
    expect(chance).to.be.closeTo(2 * studentTail(3 / Math.sqrt(0.5), 4), 1e-12)
    expect(meanInterval([7])).to.deep.equal({ mean: 7, low: -Infinity, high: Infinity, chance: 1 })
    expect(meanInterval([2, 2, 2])).to.deep.equal({ mean: 2, low: 2, high: 2, chance: 0 })
    expect(meanInterval([0, 0]).chance).to.equal(1)
  })
})

const BLOCK = 20

interface Made {
  rounds?: number
  variants?: string[]
  /** Own time of what is tried, by variant, ns. */
  costNs?: (variant: number, frame: number) => number
  /** How many times as long everything takes. */
  slow?: (frame: number) => number
  /** Of the noise of every run. */
  noise?: number
  seed?: number
}

/** A take in which variants are used in turn, in rounds of random order. */
function made({
  rounds = 12,
  variants = ['all', 'near'],
  costNs = (variant) => (variant === 0 ? 3 * MS : 2 * MS),
  slow = () => 1,
  noise = 0.05,
  seed = 1,
}: Made = {}): { study: Study; frames: TestFrame[]; order: number[] } {
  const random = randomFrom(seed)
  const order = Array.from({ length: rounds }, () => {
    const round = variants.map((_, i) => i)
    for (let i = round.length - 1; i > 0; i--) {
      const other = Math.floor(random() * (i + 1))
      ;[round[i], round[other]] = [round[other]!, round[i]!]
    }
    return round
  }).flat()
  // What one frame takes too long the next one is likely to take too long, too.
  let off = 0
  const frames = order.flatMap((variant, block) =>
    Array.from({ length: BLOCK }, (_, i): TestFrame => {
      const frame = block * BLOCK + i
      off = 0.8 * off + 0.6 * normalFrom(random)
      const ns = (usual: number) =>
        Math.max(1, Math.round(usual * slow(frame) * (1 + noise * (off + 0.5 * normalFrom(random)))))
      return {
        runs: [
          run('sim', ns(MS), { children: [run('seek', ns(costNs(variant, frame)))] }),
          run('draw', ns(2 * MS)),
        ],
        gauges: { 'moth.seek': variant },
      }
    }),
  )
  return { study: studyFrom(frames, { trials: { 'moth.seek': variants } }), frames, order }
}

const resultOf = (study: Study): TrialResult => trialResult(study, trialsOf(study)[0]!)
const pathOf = (study: Study, { results }: TrialResult, name: string) =>
  results[0]!.paths.find(({ path }) => study.declarations.marker(study.paths.get(path).marker).name === name)

describe('a trial', () => {
  it('is cut into blocks without the first frames after a change, and into rounds', () => {
    const frames = [0, 1, 1, 0, 1, 0].flatMap((variant) =>
      Array.from({ length: BLOCK }, () => ({ runs: [run('a', MS)], gauges: { t: variant } })),
    )
    const study = studyFrom(frames, { trials: { t: ['x', 'y'] } })
    const [trial] = trialsOf(study)
    expect(trial).to.deep.equal({ gauge: 0, name: 't', variants: ['x', 'y'] })
    const blocks = blocksOf(study, trial!)
    // One variant that follows itself is two blocks, of which only the first begins with a change.
    expect(blocks.map(({ variant, from, to }) => [variant, from, to])).to.deep.equal([
      [0, LEFT_OUT, 20],
      [1, 20 + LEFT_OUT, 40],
      [1, 40, 60],
      [0, 60 + LEFT_OUT, 80],
      [1, 80 + LEFT_OUT, 100],
      [0, 100 + LEFT_OUT, 120],
    ])
    expect(roundsOf(blocks, 2).map((round) => round.map(({ from }) => from))).to.deep.equal([
      [3, 23],
      [63, 40],
      [103, 83],
    ])
    // A block that was not recorded leaves its round incomplete.
    expect(roundsOf(blocks.slice(1), 2).map((round) => round.map(({ from }) => from))).to.deep.equal([
      [63, 40],
      [103, 83],
    ])
    const chosen = framesOfVariant(study, trial!, 1)
    expect(chosen.reduce((sum, is) => sum + is, 0)).to.equal(17 + 20 + 17)
  })

  it('tells what a variant brings, where, and how sure that is', () => {
    const { study } = made()
    const result = resultOf(study)
    expect([result.rounds, result.results.length]).to.deep.equal([12, 1])
    const [one] = result.results
    const work = one!.frames.find(({ figure }) => figure === 'work')!
    expect(work).to.include({ verdict: 'better', secondsMore: 0 })
    expect(work.low).to.be.below(-1)
    expect(work.high).to.be.above(-1).and.below(-0.5)
    const seek = pathOf(study, result, 'seek')!
    expect(seek).to.include({ verdict: 'better', callsBefore: 1, callsAfter: 1 })
    expect(seek.difference).to.be.closeTo(-1, 0.1)
    expect(pathOf(study, result, 'draw')!.verdict).to.equal('same')
  })

  it('is not misled by a machine that is slowed down half-way', () => {
    const { study } = made({ slow: (frame) => (frame < 240 ? 1 : 1.8), seed: 3 })
    const work = resultOf(study).results[0]!.frames[0]!
    // Of 1 ms on the usual machine, 1.8 on the slow one.
    expect(work.verdict).to.equal('better')
    expect(work.difference).to.be.closeTo(-1.4, 0.15)
    expect(pathOf(study, resultOf(study), 'draw')!.verdict).to.not.be.oneOf(['better', 'worse'])
  })

  it('has intervals that hold the truth in 93 to 97 of 100, and hardly calls what did not change', () => {
    let inside = 0
    let wrong = 0
    const takes = 400
    for (let seed = 1; seed <= takes; seed++) {
      const { study } = made({ rounds: 10, noise: 0.1, seed, costNs: () => 2 * MS })
      const result = resultOf(study)
      const { low, high } = result.results[0]!.frames[0]!
      if (low <= 0 && high >= 0) inside++
      if (result.results[0]!.paths.some(({ verdict }) => verdict === 'better' || verdict === 'worse')) wrong++
    }
    expect(inside / takes).to.be.within(0.93, 0.97)
    expect(wrong / takes).to.be.at.most(0.05)
  })

  it('says how much longer to record until it is sure', () => {
    // Of what cannot be told yet, most can after so much more; hardly any after a quarter of it.
    let [undecided, after, early] = [0, 0, 0]
    for (let seed = 1; seed <= 150; seed++) {
      const costNs = (variant: number) => (variant === 0 ? 2 * MS : 1.6 * MS)
      const take = (rounds: number) => made({ rounds, noise: 0.25, seed, costNs }).study
      const short = take(6)
      const { verdict, secondsMore } = resultOf(short).results[0]!.frames[0]!
      if (verdict !== 'cannot-tell' || secondsMore === null) continue
      const perRound = short.frames.durationNs.reduce((sum, ns) => sum + ns, 0) / 6e9
      const more = secondsMore / perRound
      if (more > 80) continue
      undecided++
      const isSure = (rounds: number) =>
        resultOf(take(rounds)).results[0]!.frames[0]!.verdict !== 'cannot-tell'
      if (isSure(6 + Math.ceil(more))) after++
      if (isSure(6 + Math.floor(more / 4))) early++
    }
    expect(undecided).to.be.at.least(15)
    expect(after / undecided).to.be.at.least(0.6)
    expect(early).to.be.lessThan(after)
  })

  it('of three variants sets each against the first', () => {
    const costs = [3, 2, 4]
    const { study } = made({ variants: ['a', 'b', 'c'], costNs: (variant) => costs[variant]! * MS })
    const { results, counted } = resultOf(study)
    expect(results.map(({ variant, frames }) => [variant, frames[0]!.verdict])).to.deep.equal([
      [1, 'better'],
      [2, 'worse'],
    ])
    expect(counted).to.have.length(3)
  })

  it('is a question, whose answer says it in a sentence', async () => {
    const { study } = made()
    const told = await answer(TRIAL, sourceOfStudy(study), {})
    expect(told).to.deep.include({ name: 'moth.seek', variants: ['all', 'near'], trials: ['moth.seek'] })
    expect(told.results[0]!.sentence).to.match(
      /^moth\.seek: with “near” a frame takes 0\.9\d\d ms less, surely \(95 % sure of 0\.[78]\d\d to 1\.\d+ ms less\); seek 0\.9\d\d ms less\.$/,
    )
    const none = await answer(TRIAL, sourceOfStudy(studyFrom([{ runs: [run('a', MS)] }])), {})
    expect(none).to.deep.include({ name: null, results: [], rounds: 0 })
    const wrong = await answer(TRIAL, sourceOfStudy(study), { trial: 'x' }).catch((error: Error) => error)
    expect((wrong as Error).message).to.contain('no trial "x"; there are: moth.seek')
    const single = await answer(TRIAL, sourceOfStudy(made({ rounds: 1 }).study), {})
    expect(single.results[0]!.sentence).to.contain('1 round of “all” and “near” say nothing yet')
    const undecided = await answer(TRIAL, sourceOfStudy(made({ rounds: 3, noise: 1, seed: 5 }).study), {})
    expect(undecided.results[0]!.sentence).to.match(
      /cannot be told yet.*record about [\d,]+ (second|minute|hour)s? more/,
    )
  })

  it('is no load of the game', () => {
    const { study } = made()
    expect(loadSources(study)).to.deep.equal([])
    expect(gatherEvidence(study).count).to.equal(480)
  })
})

describe('frames of a study picked here and there', () => {
  it('are a study of those frames', () => {
    const { frames, study } = made({ noise: 0 })
    const [trial] = trialsOf(study)
    const chosen = framesOfVariant(study, trial!, 1)
    const picked = pickOfStudy(study, chosen)
    const alone = studyFrom(
      frames.filter((_, frame) => chosen[frame] === 1),
      { trials: { 'moth.seek': ['all', 'near'] } },
    )
    expect(picked.frames.workNs).to.deep.equal(alone.frames.workNs)
    const known = ({ courses }: Study) =>
      [...courses.values()].map(({ path, frame, calls, selfNs, totalNs, details }) => ({
        ...{ path, frame, calls, selfNs, totalNs, details },
      }))
    expect(known(picked)).to.deep.equal(known(alone))
    expect(picked.gauges).to.deep.equal(alone.gauges)
    const begins = [...chosen.keys()].filter((frame) => chosen[frame] === 1 && chosen[frame - 1] !== 1)
    expect(picked.stretches).to.have.length(begins.length - 1)
    expect(pickOfStudy(study, new Uint8Array(chosen.length).fill(1))).to.equal(study)
    expect(pickOfStudy(study, new Uint8Array(chosen.length)).frames.workNs).to.have.length(0)
  })
})
