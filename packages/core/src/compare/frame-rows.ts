/** Figures of whole frames on both sides. */
import { BYTES_UNKNOWN } from '../format/index.ts'
import { deviationOf, percentileInPlace, sum } from '../stats/index.ts'
import type { Study } from '../study/index.ts'
import { isLate } from '../take/index.ts'
import { chanceOf, halfOf, judge } from './judge.ts'
import { weighted, type About } from './resample.ts'
import { CELLS_A_BLOCK, type Side } from './series.ts'
import { BELIEVED, SAME, type Difference } from './verdict.ts'

/** Percentiles take longer than means: so many resamples are enough. */
const FRAME_RESAMPLES = 200

export interface FrameRow extends Difference {
  figure: string
}

interface FrameFigure {
  figure: string
  /** Of values in any order, which it may reorder. */
  of: (workNs: Float64Array, budgetNs: number) => number
  trifle: (budgetNs: number) => number
}

const MS = 1e6
const work = (figure: string, p: number): FrameFigure => ({
  figure,
  of: (workNs) => percentileInPlace(workNs, p) / MS,
  trifle: (budgetNs) => (SAME * budgetNs) / MS,
})
const per1000 = 1000 * SAME

const FIGURES: FrameFigure[] = [
  {
    figure: 'mean',
    of: (workNs) => sum(workNs) / workNs.length / MS,
    trifle: (budgetNs) => (SAME * budgetNs) / MS,
  },
  work('p50', 0.5),
  work('p95', 0.95),
  work('p99', 0.99),
  {
    figure: 'over',
    of: (workNs, budgetNs) => {
      let over = 0
      for (let frame = 0; frame < workNs.length; frame++) if (workNs[frame]! > budgetNs) over++
      return (over * 1000) / workNs.length
    },
    trifle: () => per1000,
  },
  {
    figure: 'overTime',
    of: (workNs, budgetNs) => {
      let ns = 0
      for (let frame = 0; frame < workNs.length; frame++) ns += Math.max(0, workNs[frame]! - budgetNs)
      return ns / workNs.length / MS
    },
    trifle: (budgetNs) => (SAME * budgetNs) / MS,
  },
]

export function frameRows(about: About): FrameRow[] {
  const { one, other, speed, budgetNs, freedom, resamples } = about
  const evenAfter = (ratio: number) => other.workNs.map((ns) => ns / ratio)
  const beforeNow = FIGURES.map(({ of }) => of(one.workNs.slice(), budgetNs))
  const afterNow = FIGURES.map(({ of }) => of(other.workNs.slice(), budgetNs))
  const even = FIGURES.map(({ of }) => of(evenAfter(speed.ratio), budgetNs))
  const [drawnBefore, drawnAfter] = [new Float64Array(one.frames), new Float64Array(other.frames)]
  const resampled = FIGURES.map(() => new Float64Array(FRAME_RESAMPLES))
  for (let i = 0; i < FRAME_RESAMPLES; i++) {
    const { startsBefore, startsAfter, speed: slower } = resamples[i]!
    draw(one, startsBefore, drawnBefore, 1)
    draw(other, startsAfter, drawnAfter, slower)
    FIGURES.forEach(({ of }, at) => {
      resampled[at]![i] = of(drawnAfter, budgetNs) - of(drawnBefore, budgetNs)
    })
  }
  const rows = FIGURES.map(({ figure, trifle }, at) => ({
    ...{ figure, before: beforeNow[at]!, after: afterNow[at]!, difference: even[at]! - beforeNow[at]! },
    ...{ error: deviationOf(resampled[at]!), trifle: trifle(budgetNs) },
  }))
  return [...rows, ...countedRows(about)].map(({ error, trifle, ...row }) => {
    const half = halfOf(error, freedom)
    const interval = { difference: row.difference, low: row.difference - half, high: row.difference + half }
    const believed = chanceOf(row.difference, error, freedom) <= BELIEVED
    return { ...row, ...interval, ...judge(about, interval, trifle, believed) }
  })
}

/** The frames of one resample. @param slower what their work is divided by */
function draw({ workNs, cellFrames }: Side, starts: Uint32Array, into: Float64Array, slower: number): void {
  const length = cellFrames * CELLS_A_BLOCK
  let at = 0
  for (let block = 0; at < into.length; block++) {
    const start = starts[block % starts.length]! * cellFrames
    for (let i = 0; i < length && at < into.length; i++)
      into[at++] = workNs[(start + i) % workNs.length]! / slower
  }
}

/** What does not hang on the machine's speed in proportion: late and held frames, collections, bytes. */
function countedRows({ one, other, budgetNs, resamples }: About) {
  const counted: {
    figure: string
    of: (study: Study, frame: number) => number
    trifle: number
    known?: (study: Study) => boolean
  }[] = [
    {
      figure: 'late',
      of: ({ frames }, frame) => (isLate(frames.durationNs[frame]!, budgetNs) ? 1000 : 0),
      trifle: per1000,
    },
    {
      figure: 'held',
      of: ({ frames }, frame) =>
        isLate(frames.durationNs[frame]!, budgetNs) && frames.workNs[frame]! <= budgetNs ? 1000 : 0,
      trifle: per1000,
    },
    { figure: 'collections', of: ({ frames }, frame) => 1000 * frames.collections[frame]!, trifle: per1000 },
    {
      figure: 'bytes',
      of: ({ frames }, frame) => Math.max(0, frames.bytes[frame]!),
      trifle: 1000,
      known: ({ frames }) => frames.bytes.some((value) => value !== BYTES_UNKNOWN),
    },
  ]
  return counted.flatMap(({ figure, of, trifle, known = () => true }) => {
    if (![...one.studies, ...other.studies].every(known)) return []
    const [cellsBefore, cellsAfter] = [one, other].map((side) => cellSums(side, of)) as [
      Float64Array,
      Float64Array,
    ]
    const meanOf = (sums: Float64Array, { cells }: Side, weights: Float64Array) =>
      weighted(sums, weights) / weighted(cells, weights)
    const [before, after] = [sum(cellsBefore) / one.frames, sum(cellsAfter) / other.frames]
    const differences = resamples.map(
      ({ weightsBefore, weightsAfter }) =>
        meanOf(cellsAfter, other, weightsAfter) - meanOf(cellsBefore, one, weightsBefore),
    )
    return [{ figure, before, after, difference: after - before, error: deviationOf(differences), trifle }]
  })
}

/** Of each cell the sum over its frames. */
function cellSums(
  { studies, cellFrames, cells }: Side,
  of: (study: Study, frame: number) => number,
): Float64Array {
  const sums = new Float64Array(cells.length)
  let firstCell = 0
  for (const study of studies) {
    const count = study.frames.workNs.length
    for (let frame = 0; frame < count; frame++)
      sums[firstCell + Math.floor(frame / cellFrames)]! += of(study, frame)
    firstCell += Math.ceil(count / cellFrames)
  }
  return sums
}
