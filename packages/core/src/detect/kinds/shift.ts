import { median, mannKendall } from '../../stats/index.ts'
import { dense } from '../../study/index.ts'
import type { Evidence } from '../gather-evidence.ts'
import { costsOf, type Detector, type Kind } from '../finding.ts'
import { RAMP_MOMENT } from '../scaling.ts'
import { costWords, msOf, share, three, part } from '../sentences.ts'

/** Frames are judged in blocks: of so many at least, and not more blocks than that. */
const LEAST_BLOCK_FRAMES = 30
const MOST_BLOCKS = 120
const LEAST_BLOCKS = 12
/** Before and after are each at least this share of the take. */
const LEAST_SIDE = 0.3
/** Share of the pairs of a block before and one after in which the later is dearer. */
const APART = 0.95
/** The floor rises by at least this share of the budget. */
const LEAST_RISE = 0.05
const STEADY = 1e-3

/** One path takes so much of the rise, or it is the whole frame's. */
const MOST_OF_IT = 0.5

interface Step {
  /** First block after it. */
  at: number
  riseNs: number
  apart: number
}

/**
 * The floor rises and stays up: at one frame, or all the time. Judged at equal speed of the machine, by the path that got
 * dearer; where none did by itself, by the whole frame.
 */
const shifts: Detector = (evidence, claimed) => {
  const { study, budgetNs, count } = evidence
  if (study.moments.some(({ name }) => name === RAMP_MOMENT)) return []
  const even = evidence.even()
  const blocks = normalBlocks(evidence)
  if (blocks.length < LEAST_BLOCKS) return []
  const leastNs = LEAST_RISE * budgetNs
  const whole = levelsOf(blocks, even.study.frames.workNs)
  const step = stepOf(whole, leastNs)
  const dearest = dearestPath(evidence, blocks, leastNs)
  // What has been told of the path already, such as that a class only grows, is not told again.
  if (dearest !== null && claimed.has(dearest.path)) return []
  const found =
    dearest !== null && (step === null || dearest.step.riseNs >= MOST_OF_IT * step.riseNs)
      ? dearest
      : step === null
        ? null
        : { path: null, step, levels: whole }
  if (found === null) return []
  const { path, levels } = found
  const { at, riseNs, apart } = found.step
  const frame = blocks[at]!.from
  const [before, after] = [levels.slice(0, at), levels.slice(at)]
  const rises = [before, after].every((half) => {
    const { s, p } = mannKendall(half)
    return s > 0 && p < STEADY
  })
  const name = path === null ? 'a frame’s work' : evidence.names(path).at(-1)!
  const spread = path === null ? ' No path by itself makes up most of it.' : ''
  return [
    {
      kind: 'shift',
      path,
      text: rises
        ? `The floor rises all the time: ${name} takes ${msOf(median(before))} in the frames before ${frame + study.firstFrame}, ${msOf(median(after))} from there on, ${costWords(evidence, riseNs)} more.${spread}`
        : `From frame ${frame + study.firstFrame} on ${name} takes ${msOf(median(after))}; before it was ${msOf(median(before))}. That is ${costWords(evidence, riseNs)} more.${spread}`,
      ...costsOf(evidence, { sumNs: riseNs * (count - frame), strikes: count - frame, trouble: 'floor' }),
      confidence: apart > 0.99 ? 'high' : 'medium',
      because: `${share(apart)} of ${three(levels.length)} blocks of ${blockFrames(count)} frames are dearer after than before, at equal speed of the machine`,
      frames: [frame],
      remedies: ['by-hand'],
      view: 'ledger',
      subject: '',
      load: null,
    },
  ]
}

/** Where levels rise most clearly, if they do. */
function stepOf(levels: readonly number[], leastNs: number): Step | null {
  const side = Math.ceil(LEAST_SIDE * levels.length)
  let best: Step | null = null
  for (let at = side; at <= levels.length - side; at++) {
    const riseNs = median(levels.slice(at)) - median(levels.slice(0, at))
    if (riseNs < leastNs) continue
    const apart = shareAbove(levels.slice(0, at), levels.slice(at))
    if (apart < APART) continue
    if (best === null || apart * riseNs > best.apart * best.riseNs) best = { at, riseNs, apart }
  }
  return best
}

/** The path whose own level rises most. */
function dearestPath(
  evidence: Evidence,
  blocks: readonly Block[],
  leastNs: number,
): { path: number; step: Step; levels: number[] } | null {
  let best: { path: number; step: Step; levels: number[] } | null = null
  for (const { path, course } of evidence.even().work) {
    // Levels are medians, which lie within the range: most paths are out at once.
    if (!reaches(course.selfNs, leastNs)) continue
    const levels = levelsOf(blocks, dense(course, 'selfNs', evidence.count))
    const step = stepOf(levels, leastNs)
    if (step !== null && step.riseNs > (best?.step.riseNs ?? 0)) best = { path: path.id, step, levels }
  }
  return best
}

function reaches(values: Float64Array, least: number): boolean {
  for (let i = 0; i < values.length; i++) if (values[i]! >= least) return true
  return false
}

const blockFrames = (count: number) => Math.max(LEAST_BLOCK_FRAMES, Math.ceil(count / MOST_BLOCKS))

interface Block {
  from: number
  /** Its normal frames. */
  frames: number[]
}

function normalBlocks({ isNormal, count }: Evidence): Block[] {
  const blocks: Block[] = []
  const length = blockFrames(count)
  for (let from = 0; from + length <= count; from += length) {
    const frames: number[] = []
    for (let frame = from; frame < from + length; frame++) if (isNormal[frame] === 1) frames.push(frame)
    if (frames.length > 0) blocks.push({ from, frames })
  }
  return blocks
}

/** The median of each block. */
const levelsOf = (blocks: readonly Block[], values: Float64Array): number[] =>
  blocks.map(({ frames }) => median(frames.map((frame) => values[frame]!)))

/** Mann and Whitney's share of pairs in which the later value is the larger. */
function shareAbove(before: number[], after: number[]): number {
  let above = 0
  for (const a of before) for (const b of after) above += b > a ? 1 : b === a ? 0.5 : 0
  return above / (before.length * after.length)
}

export const kind: Kind = {
  name: 'shift',
  order: 13,
  words: 'the floor rises',
  found: `the floor is higher after some frame: in ${part(APART)} of the pairs of a block before and one after, by ${part(LEAST_RISE)} of the budget, each side ${part(LEAST_SIDE)} of the frames; of one path, or of the whole frame where no path makes up half of it. The machine’s speed is taken out`,
  cost: 'the rise, in the frames after it',
  claims: false,
  limits: {
    LEAST_BLOCK_FRAMES,
    MOST_BLOCKS,
    MOST_OF_IT,
    LEAST_BLOCKS,
    LEAST_SIDE,
    APART,
    LEAST_RISE,
    STEADY,
  },
  detect: shifts,
}
