/** Any takes before set against any takes after: what changed, by how much, how surely, at equal speed of the machine. */
import { drawBlocks, steadyRandom } from '../stats/index.ts'
import { budgetNsOf, type Study } from '../study/index.ts'
import { frameRows, type FrameRow } from './frame-rows.ts'
import { speedOf, speedTold, tellingPaths } from './machine-speed.ts'
import { pathRows, type PathRow } from './path-rows.ts'
import { weightsOf, type About, type Resample, type Speed } from './resample.ts'
import { blockFramesOf, CELLS_A_BLOCK, takenTogether, type Side } from './series.ts'

/** Draws of blocks that intervals are told from. */
const RESAMPLES = 300
/** Times the length of a block that is best for the variance of a mean: intervals need longer ones, or they are too short. */
const LONGER = 2
/** A take is the same run as another where its paths ran as often in this share of the cells. */
const SAME_RUN = 0.95

export interface Comparison {
  speed: Speed
  /** Whether both are the same run, and were compared frame by frame. */
  paired: boolean
  blockFrames: number
  frames: FrameRow[]
  /** Own time; those that changed most first. */
  paths: PathRow[]
  seconds: { before: number; after: number }
}

/** @throws RangeError where a side has no frames, or nothing in common is left to compare */
export function compareTakes(before: Study[], after: Study[]): Comparison {
  const blockFrames = LONGER * Math.max(blockFramesOf(before), blockFramesOf(after))
  const sides = [takenTogether(before, blockFrames), takenTogether(after, blockFrames)] as const
  if (sides[0].frames === 0 || sides[1].frames === 0)
    throw new RangeError(`there are no frames ${sides[0].frames === 0 ? 'before' : 'after'} to compare`)
  const [one, other] = sides
  if (![...one.paths.keys()].some((key) => other.paths.has(key)))
    throw new RangeError('the takes have no marker in common: they are not of the same game')
  const paired = areSameRun(one, other)
  const random = steadyRandom(1)
  const telling = tellingPaths(one, other)
  const freedom = Math.min(one.frames, other.frames) / blockFrames - 1
  const resamples = Array.from({ length: RESAMPLES }, (): Resample => {
    const startsBefore = drawBlocks(one.cells.length, CELLS_A_BLOCK, random)
    const startsAfter = paired ? startsBefore : drawBlocks(other.cells.length, CELLS_A_BLOCK, random)
    const [weightsBefore, weightsAfter] = [weightsOf(one, startsBefore), weightsOf(other, startsAfter)]
    const speed = Math.exp(speedOf(telling, weightsBefore, weightsAfter))
    return { startsBefore, startsAfter, weightsBefore, weightsAfter, speed }
  })
  const speed = speedTold(
    telling,
    resamples.map((resample) => resample.speed),
    freedom,
  )
  const budgetNs = budgetNsOf(before[0]!)
  const about: About = { one, other, freedom, speed, budgetNs, resamples }
  return {
    ...{ speed, paired, blockFrames },
    frames: frameRows(about),
    paths: pathRows(about),
    seconds: { before: one.seconds, after: other.seconds },
  }
}

/** Same seed, as many frames, none of them picked out, and every path ran as often in nearly every cell. */
function areSameRun(one: Side, other: Side): boolean {
  if (one.studies.length !== 1 || other.studies.length !== 1 || one.frames !== other.frames) return false
  const [study, there] = [one.studies[0]!, other.studies[0]!]
  const { seed } = study.conditions
  if (seed === undefined || seed !== there.conditions.seed) return false
  if (study.variant !== undefined || there.variant !== undefined) return false
  let same = 0
  let all = 0
  for (const [key, { calls, isMain }] of one.paths) {
    const there = other.paths.get(key)
    if (!isMain || there === undefined) continue
    for (let cell = 0; cell < calls.length; cell++) {
      all++
      if (calls[cell] === there.calls[cell]) same++
    }
  }
  return all > 0 && same >= SAME_RUN * all
}
