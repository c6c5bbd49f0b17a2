/** How fast the machine was, block by block: told from what the same code costs now and usually. */
import { isMedianAtLeast, median, percentileInPlace } from '../stats/index.ts'
import { MAIN_LANE } from '../take/index.ts'
import { frameCount, type PathCourse, type Study } from './study.ts'

/** A block is of so many frames at least, and a take of not more blocks than that. */
const LEAST_BLOCK_FRAMES = 15
const MOST_BLOCKS = 600
/** A path tells something of a block in which it ran in so many frames. */
const LEAST_CELLS = 3
/** Shorter times in a frame say more of the clock than of the machine: ns, and steps of the clock. */
const LEAST_NS = 5_000
const LEAST_STEPS = 10
/** So many paths must tell, or one that changed would pass for the machine. */
export const LEAST_TELLING = 3

/** Beyond these the machine was slower, or faster, than usual. */
const SLOWER = 1.1
const FASTER = 0.9

export const SPEED_LIMITS = {
  ...{ LEAST_BLOCK_FRAMES, MOST_BLOCKS, LEAST_CELLS, LEAST_NS, LEAST_STEPS, LEAST_TELLING, SLOWER, FASTER },
}

/** A path whose runs tell how fast the machine is. */
export interface Telling {
  course: PathCourse
  /** Own time of a run: the median of the blocks' medians, ns. */
  runNs: number
}

export interface MachineSpeed {
  blockFrames: number
  /** By block: how many times as long a run takes as usual; 1 where too few paths tell. */
  factor: Float64Array
  telling: Telling[]
  /** Own time of a run of each path of the main lane that works: the median over its frames, ns. */
  usualRunNs: ReadonlyMap<number, number>
}

/** Own time of a run in each cell of a course, ns; put into `room`, which is long enough for any course. */
function runNsOf({ selfNs, calls }: PathCourse, room: Float64Array): Float64Array {
  const runNs = room.subarray(0, selfNs.length)
  for (let cell = 0; cell < runNs.length; cell++) runNs[cell] = selfNs[cell]! / calls[cell]!
  return runNs
}

/**
 * In each block the median over the paths of (cost of a run now ÷ its usual cost). A path that itself changed is one
 * among many; interruptions and bad frames are not in the medians that each path is judged by.
 */
export function machineSpeed(study: Study): MachineSpeed {
  const count = frameCount(study)
  const blockFrames = Math.max(LEAST_BLOCK_FRAMES, Math.ceil(count / MOST_BLOCKS))
  const blocks = Math.max(1, Math.floor(count / blockFrames))
  const leastNs = Math.max(LEAST_NS, LEAST_STEPS * (study.conditions.recorder?.clockResolutionNs ?? 0))
  const telling: Telling[] = []
  const usualRunNs = new Map<number, number>()
  const ratios: Float64Array[] = []
  const room = new Float64Array(count)
  for (const course of study.courses.values()) {
    const { kind, lane } = study.paths.get(course.path)
    if (kind !== 'work' || lane !== MAIN_LANE) continue
    const cellNs = runNsOf(course, room)
    if (course.frame.length >= LEAST_CELLS && isMedianAtLeast(course.selfNs, leastNs)) {
      const byBlock = blockMedians(course.frame, cellNs, blockFrames, blocks)
      const runNs = median(byBlock.filter((ns) => !Number.isNaN(ns)))
      if (runNs > 0) {
        telling.push({ course, runNs })
        ratios.push(byBlock.map((ns) => ns / runNs))
      }
    }
    usualRunNs.set(course.path, percentileInPlace(cellNs, 0.5))
  }
  const factor = Float64Array.from({ length: blocks }, (_, block) => {
    const known = ratios.map((ratio) => ratio[block]!).filter((ratio) => !Number.isNaN(ratio))
    return known.length < LEAST_TELLING ? 1 : median(known)
  })
  return { blockFrames, factor, telling, usualRunNs }
}

/**
 * Median own time of a run in each block; NaN where it ran too seldom. The last block takes what is left over.
 * @param runNs by cell; reordered within each block
 */
function blockMedians(
  frame: Uint32Array,
  runNs: Float64Array,
  blockFrames: number,
  blocks: number,
): Float64Array {
  const medians = new Float64Array(blocks).fill(NaN)
  let first = 0
  for (let block = 0; block < blocks; block++) {
    const end = block === blocks - 1 ? Infinity : (block + 1) * blockFrames
    let cell = first
    while (cell < frame.length && frame[cell]! < end) cell++
    if (cell - first >= LEAST_CELLS) medians[block] = percentileInPlace(runNs.subarray(first, cell), 0.5)
    first = cell
  }
  return medians
}

/** How many times as long a run took as usual around a frame. */
export const factorAt = ({ blockFrames, factor }: MachineSpeed, frame: number): number =>
  factor[Math.min(factor.length - 1, Math.floor(frame / blockFrames))]!

/** The same by frame, for who asks of every cell. */
export function factorByFrame(speed: MachineSpeed, count: number): Float64Array {
  const byFrame = new Float64Array(count).fill(speed.factor.at(-1)!)
  speed.factor.forEach((factor, block) => {
    if (block < speed.factor.length - 1)
      byFrame.fill(factor, block * speed.blockFrames, (block + 1) * speed.blockFrames)
  })
  return byFrame
}

/** 1 for a machine that was slower than usual, -1 for one that was faster, 0 for one that was as usual. */
export const sideOf = (factor: number): -1 | 0 | 1 => (factor >= SLOWER ? 1 : factor <= FASTER ? -1 : 0)

/** Blocks in a row in which the machine was not as usual. */
export interface Spell {
  /** Frames, both included. */
  from: number
  to: number
  /** Mean over its blocks. */
  factor: number
}

/** Where the machine was slower or faster, in order of time. */
export function spellsOf(speed: Pick<MachineSpeed, 'blockFrames' | 'factor'>, count: number): Spell[] {
  const { blockFrames, factor } = speed
  const spells: Spell[] = []
  for (let block = 0; block < factor.length;) {
    const side = sideOf(factor[block]!)
    let end = block + 1
    while (end < factor.length && sideOf(factor[end]!) === side) end++
    if (side !== 0) {
      const to = end === factor.length ? count - 1 : end * blockFrames - 1
      const sum = factor.subarray(block, end).reduce((total, value) => total + value, 0)
      spells.push({ from: block * blockFrames, to, factor: sum / (end - block) })
    }
    block = end
  }
  return spells
}

/** The study as it would be on a machine that is always as fast as usual: every time of the main lane's work ÷ its block's factor. */
export function atEqualSpeed(study: Study, speed: MachineSpeed): Study {
  if (speed.factor.every((value) => value === 1)) return study
  const factor = factorByFrame(speed, frameCount(study))
  const courses = new Map<number, PathCourse>()
  for (const [path, course] of study.courses) {
    const { kind, lane } = study.paths.get(path)
    courses.set(path, kind === 'work' && lane === MAIN_LANE ? evened(course, factor) : course)
  }
  const workNs = study.frames.workNs.map((ns, frame) => ns / factor[frame]!)
  return { ...study, courses, frames: { ...study.frames, workNs } }
}

function evened(course: PathCourse, factor: Float64Array): PathCourse {
  const cells = course.frame.length
  const selfNs = new Float64Array(cells)
  const totalNs = new Float64Array(cells)
  for (let cell = 0; cell < cells; cell++) {
    const now = factor[course.frame[cell]!]!
    selfNs[cell] = course.selfNs[cell]! / now
    totalNs[cell] = course.totalNs[cell]! / now
  }
  return { ...course, selfNs, totalNs }
}
