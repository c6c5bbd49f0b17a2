import { median, mannKendall } from '../../stats/index.ts'
import { dense } from '../../study/index.ts'
import type { Evidence } from '../gather-evidence.ts'
import { floorCosts, type Detector, type Kind } from '../finding.ts'
import { RAMP_MOMENT } from '../scaling.ts'
import { costWords, msOf, share, three, part } from '../sentences.ts'

/** Frames are judged in blocks: of so many at least, and not more blocks than that. */
const LEAST_BLOCK_FRAMES = 30
const MOST_BLOCKS = 120
/** Frames that a path's level is read from, on either side. */
const MOST_SAMPLES = 500
const LEAST_BLOCKS = 12
/** Before and after are each at least this share of the take. */
const LEAST_SIDE = 0.3
/** Share of the pairs of a block before and one after in which the later is dearer. */
const APART = 0.95
/** The floor rises by at least this share of the budget. */
const LEAST_RISE = 0.05
const STEADY = 1e-3

/** The floor rises and stays up: at one frame, or all the time. */
const shifts: Detector = (evidence) => {
  const { study, budgetNs } = evidence
  if (study.moments.some(({ name }) => name === RAMP_MOMENT)) return []
  const blocks = workBlocks(evidence)
  if (blocks.length < LEAST_BLOCKS) return []
  const levels = blocks.map(({ workNs }) => workNs)
  const side = Math.ceil(LEAST_SIDE * blocks.length)
  let best: { at: number; riseNs: number; apart: number } | null = null
  for (let at = side; at <= blocks.length - side; at++) {
    const riseNs = median(levels.slice(at)) - median(levels.slice(0, at))
    const apart = shareAbove(levels.slice(0, at), levels.slice(at))
    if (apart < APART || riseNs < LEAST_RISE * budgetNs) continue
    if (best === null || apart * riseNs > best.apart * best.riseNs) best = { at, riseNs, apart }
  }
  if (best === null) return []
  const frame = blocks[best.at]!.from
  const [before, after] = [levels.slice(0, best.at), levels.slice(best.at)]
  const rises = [before, after].every((half) => {
    const { s, p } = mannKendall(half)
    return s > 0 && p < STEADY
  })
  const cause = dearerPath(evidence, frame)
  const causeWords =
    cause === null
      ? ''
      : ` Most of it is ${evidence.names(cause.path).at(-1)}, which costs ${msOf(cause.riseNs)} more.`
  return [
    {
      kind: 'shift',
      path: cause?.path ?? null,
      text: rises
        ? `The floor rises all the time: ${msOf(median(before))} of work in the frames before ${frame + study.firstFrame}, ${msOf(median(after))} from there on, ${costWords(evidence, best.riseNs)} more.${causeWords}`
        : `From frame ${frame + study.firstFrame} on the floor is ${msOf(median(after))} of work a frame; before it was ${msOf(median(before))}. That is ${costWords(evidence, best.riseNs)} more.${causeWords}`,
      ...floorCosts(best.riseNs),
      confidence: best.apart > 0.99 ? 'high' : 'medium',
      because: `${share(best.apart)} of ${three(levels.length)} stretches of ${blockFrames(evidence.count)} frames are dearer after than before`,
      frames: [frame],
      remedies: ['by-hand'],
      view: 'ledger',
      subject: '',
      gauge: null,
    },
  ]
}

const blockFrames = (count: number) => Math.max(LEAST_BLOCK_FRAMES, Math.ceil(count / MOST_BLOCKS))

/** Median work of the normal frames of each block. */
function workBlocks({ study, isNormal, count }: Evidence): { from: number; workNs: number }[] {
  const blocks: { from: number; workNs: number }[] = []
  const length = blockFrames(count)
  for (let from = 0; from + length <= count; from += length) {
    const work = study.frames.workNs.subarray(from, from + length)
    const normal = work.filter((_, i) => isNormal[from + i] === 1)
    if (normal.length > 0) blocks.push({ from, workNs: median(normal) })
  }
  return blocks
}

/** Mann and Whitney's share of pairs in which the later value is the larger. */
function shareAbove(before: number[], after: number[]): number {
  let above = 0
  for (const a of before) for (const b of after) above += b > a ? 1 : b === a ? 0.5 : 0
  return above / (before.length * after.length)
}

function dearerPath(evidence: Evidence, frame: number): { path: number; riseNs: number } | null {
  let best: { path: number; riseNs: number } | null = null
  for (const { path, course } of evidence.work) {
    const selfNs = dense(course, 'selfNs', evidence.count)
    const riseNs = level(selfNs.subarray(frame)) - level(selfNs.subarray(0, frame))
    if (riseNs > (best?.riseNs ?? 0)) best = { path: path.id, riseNs }
  }
  return best
}

/** The median of some values, spread evenly: of all it would take a sort of the whole take for every path. */
function level(values: Float64Array): number {
  const every = Math.max(1, Math.ceil(values.length / MOST_SAMPLES))
  return median(Float64Array.from({ length: Math.ceil(values.length / every) }, (_, i) => values[i * every]!))
}

export const kind: Kind = {
  name: 'shift',
  order: 13,
  words: 'the floor rises',
  found: `the floor is higher after some frame: in ${part(APART)} of the pairs of a stretch before and one after, by ${part(LEAST_RISE)} of the budget, each side ${part(LEAST_SIDE)} of the frames`,
  cost: 'the rise',
  claims: false,
  limits: {
    LEAST_BLOCK_FRAMES,
    MOST_BLOCKS,
    MOST_SAMPLES,
    LEAST_BLOCKS,
    LEAST_SIDE,
    APART,
    LEAST_RISE,
    STEADY,
  },
  detect: shifts,
}
