/** A trial: variants of the same code, used in turn within one take, set against each other. */
import type { GaugeDeclaration } from '../format/index.ts'
import { falseDiscoveryRates, mean, meanInterval, median, percentile } from '../stats/index.ts'
import { budgetNsOf, dense, frameCount, pickOfStudy, unbrokenStretches, type Study } from '../study/index.ts'
import { MAIN_LANE } from '../take/index.ts'
import { BELIEVED, SAME, timesAsMuch, verdictOf, type Difference } from './verdict.ts'

/** Frames after a change of variant that are left out: what was begun with one ends with the other. */
export const LEFT_OUT = 3
/** A block of fewer frames than this tells nothing. */
const LEAST_FRAMES = 5
/** A run of frames so many times as long as a block is several blocks of one variant. */
const LONGER = 1.5
/** A path that takes less than this share of the budget with either variant is left out. */
const TRIFLE = 0.0005

export interface TrialDeclared {
  gauge: number
  name: string
  variants: string[]
}

export const trialsOf = ({ declarations }: Pick<Study, 'declarations'>): TrialDeclared[] =>
  trialsAmong(declarations.gauges.values())

/** @param gauges that a take declares */
export const trialsAmong = (gauges: Iterable<GaugeDeclaration>): TrialDeclared[] =>
  [...gauges].flatMap(({ id, name, variants }) =>
    variants.length < 2 ? [] : [{ gauge: id, name, variants }],
  )

/** Frames in a row with one variant, those that are left out not among them. */
export interface Block {
  variant: number
  from: number
  to: number
}

/** The blocks of a trial, in order of time. */
export function blocksOf(study: Study, { gauge, variants }: TrialDeclared): Block[] {
  const values = study.gauges.get(gauge)
  if (values === undefined) return []
  const runs: Block[] = []
  for (const { from, to } of unbrokenStretches(study)) {
    for (let first = from; first < to;) {
      let end = first + 1
      while (end < to && values[end] === values[first]) end++
      const variant = values[first]!
      if (Number.isInteger(variant) && variant >= 0 && variant < variants.length)
        runs.push({ variant, from: first, to: end })
      first = end
    }
  }
  if (runs.length === 0) return []
  const usual = blockLength(runs)
  return runs.flatMap(({ variant, from, to }) => {
    const parts = Math.max(1, Math.round((to - from) / usual))
    return Array.from({ length: parts }, (_, i): Block => ({
      variant,
      from: from + Math.floor((i * (to - from)) / parts) + (i === 0 ? LEFT_OUT : 0),
      to: from + Math.floor(((i + 1) * (to - from)) / parts),
    })).filter((block) => block.to - block.from >= LEAST_FRAMES)
  })
}

/** Runs are one block long, or several where one variant followed itself: the shorter ones tell. */
function blockLength(runs: readonly Block[]): number {
  const lengths = runs.map(({ from, to }) => to - from)
  const shortest = percentile(lengths, 0.25)
  return median(lengths.filter((length) => length < LONGER * shortest))
}

/** Rounds: neighbouring blocks with one of each variant. What drifts is alike within them. */
export function roundsOf(blocks: readonly Block[], variants: number): Block[][] {
  const rounds: Block[][] = []
  let round = new Map<number, Block>()
  for (const block of blocks) {
    // A block that is missing leaves its round incomplete.
    if (round.has(block.variant)) round = new Map()
    round.set(block.variant, block)
    if (round.size < variants) continue
    rounds.push([...round.values()].sort((a, b) => a.variant - b.variant))
    round = new Map()
  }
  return rounds
}

export interface TrialFigure extends Difference {
  figure: string
}

export interface TrialPath extends Difference {
  path: number
  callsBefore: number
  callsAfter: number
}

export interface VariantResult {
  variant: number
  /** Times in ms a frame; shares in frames of 1,000. */
  frames: TrialFigure[]
  /** Own time, ms a frame; those that changed most first. */
  paths: TrialPath[]
}

export interface TrialResult extends TrialDeclared {
  blocks: number
  blockFrames: number
  rounds: number
  /** Frames of each variant that count. */
  counted: number[]
  /** For each variant but the first, against the first. */
  results: VariantResult[]
}

/** A variant against the first, by figures of each frame. */
interface Asked {
  valueOf: (frame: number) => number
  /** Differences within this are none. */
  trifle: number
}

export function trialResult(study: Study, trial: TrialDeclared): TrialResult {
  const blocks = blocksOf(study, trial)
  const rounds = roundsOf(blocks, trial.variants.length)
  const counted = trial.variants.map((_, variant) =>
    blocks.reduce((sum, block) => sum + (block.variant === variant ? block.to - block.from : 0), 0),
  )
  return {
    ...trial,
    blocks: blocks.length,
    blockFrames: blocks.length === 0 ? 0 : median(blocks.map(({ from, to }) => to - from)),
    rounds: rounds.length,
    counted,
    results: trial.variants.slice(1).map((_, i) => resultOf(study, rounds, i + 1)),
  }
}

function resultOf(study: Study, rounds: readonly Block[][], variant: number): VariantResult {
  const { workNs, durationNs } = study.frames
  const budgetNs = budgetNsOf(study)
  const perRoundS = roundSeconds(study, rounds)
  const trifleMs = (SAME * budgetNs) / 1e6
  const frames: [string, Asked][] = [
    ['work', { valueOf: (frame) => workNs[frame]! / 1e6, trifle: trifleMs }],
    ['over', { valueOf: (frame) => (workNs[frame]! > budgetNs ? 1000 : 0), trifle: 1000 * SAME }],
    ['duration', { valueOf: (frame) => durationNs[frame]! / 1e6, trifle: trifleMs }],
  ]
  const told = frames.map(([figure, asked]) => {
    const difference = differenceOf(rounds, variant, asked)
    return {
      figure,
      ...judged(difference, asked.trifle, difference.chance <= BELIEVED, rounds.length, perRoundS),
    }
  })
  return { variant, frames: told, paths: pathsOf(study, rounds, variant, perRoundS) }
}

const roundSeconds = (study: Study, rounds: readonly Block[][]): number =>
  rounds.length === 0 ? 0 : (frameCount(study) / rounds.length) * (mean(study.frames.durationNs) / 1e9)

type Raw = Pick<Difference, 'before' | 'after' | 'difference' | 'low' | 'high'> & { chance: number }

function differenceOf(rounds: readonly Block[][], variant: number, { valueOf }: Asked): Raw {
  const meanOf = ({ from, to }: Block) => {
    let sum = 0
    for (let frame = from; frame < to; frame++) sum += valueOf(frame)
    return sum / (to - from)
  }
  const before = rounds.map((round) => meanOf(round[0]!))
  const after = rounds.map((round) => meanOf(round[variant]!))
  const { mean: difference, low, high, chance } = meanInterval(after.map((value, i) => value - before[i]!))
  return {
    before: before.length === 0 ? 0 : mean(before),
    after: after.length === 0 ? 0 : mean(after),
    difference,
    low,
    high,
    chance,
  }
}

function judged(
  { chance: _, ...raw }: Raw,
  trifle: number,
  believed: boolean,
  rounds: number,
  perRoundS: number,
): Difference {
  const verdict = verdictOf(raw, trifle, believed)
  const times = timesAsMuch(raw, trifle)
  const secondsMore =
    verdict !== 'cannot-tell'
      ? 0
      : times === null
        ? null
        : Math.max(1, Math.ceil((times - 1) * rounds)) * perRoundS
  return { ...raw, verdict, secondsMore }
}

function pathsOf(study: Study, rounds: readonly Block[][], variant: number, perRoundS: number): TrialPath[] {
  const count = frameCount(study)
  const budgetMs = budgetNsOf(study) / 1e6
  const raws = [...study.courses.values()].flatMap((course) => {
    const { kind, lane } = study.paths.get(course.path)
    if (lane === MAIN_LANE && kind === 'wait:refresh') return []
    const selfNs = dense(course, 'selfNs', count)
    const calls = dense(course, 'calls', count)
    const raw = differenceOf(rounds, variant, { valueOf: (frame) => selfNs[frame]! / 1e6, trifle: 0 })
    if (Math.max(raw.before, raw.after) < TRIFLE * budgetMs) return []
    const runs = differenceOf(rounds, variant, { valueOf: (frame) => calls[frame]!, trifle: 0 })
    return [{ path: course.path, raw, callsBefore: runs.before, callsAfter: runs.after }]
  })
  const rates = falseDiscoveryRates(raws.map(({ raw }) => raw.chance))
  return raws
    .map(({ path, raw, callsBefore, callsAfter }, i): TrialPath => ({
      ...{ path, callsBefore, callsAfter },
      ...judged(raw, SAME * budgetMs, rates[i]! <= BELIEVED, rounds.length, perRoundS),
    }))
    .sort((a, b) => Math.abs(b.difference) - Math.abs(a.difference))
}

/** 1 for frames in which this variant was used, those left out after a change not among them. */
export function framesOfVariant(study: Study, trial: TrialDeclared, variant: number): Uint8Array {
  const chosen = new Uint8Array(frameCount(study))
  for (const block of blocksOf(study, trial))
    if (block.variant === variant) chosen.fill(1, block.from, block.to)
  return chosen
}

/** All variants of all trials, as `trial=variant`. */
export const variantsOf = (gauges: Iterable<GaugeDeclaration>): string[] =>
  trialsAmong(gauges).flatMap(({ name, variants }) => variants.map((variant) => `${name}=${variant}`))

/** Only the frames in which a trial used a variant. @param wanted `trial=variant` @returns null where there is none of that name */
export function studyOfVariant(study: Study, wanted: string): Study | null {
  for (const trial of trialsOf(study)) {
    const variant = trial.variants.findIndex((name) => wanted === `${trial.name}=${name}`)
    if (variant < 0) continue
    return { ...pickOfStudy(study, framesOfVariant(study, trial, variant)), variant: wanted }
  }
  return null
}
