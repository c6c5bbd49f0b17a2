/** Takes as what a comparison resamples: cells of a few frames, with what each path did in them. */
import { blockLength, median } from '../stats/index.ts'
import { frameCount, pathNames, type Study } from '../study/index.ts'
import type { MarkerKind } from '../format/index.ts'
import { MAIN_LANE } from '../take/index.ts'

/** A block is made of so many cells, so that it may begin at any of them. */
export const CELLS_A_BLOCK = 4

export interface PathSeries {
  /** Names of its markers, and its lane. */
  path: string[]
  lane: string
  /** Its number in each study of the side; null where it is not. */
  ids: (number | null)[]
  kind: MarkerKind
  isMain: boolean
  /** By cell: sums over its frames. */
  selfNs: Float64Array
  calls: Float64Array
  bytes: Float64Array
  needless: Float64Array
}

/** One side of a comparison: the frames of one take, or of several one after the other. */
export interface Side {
  studies: Study[]
  frames: number
  seconds: number
  cellFrames: number
  /** Frames of each cell: the last of a take may have fewer. */
  cells: Float64Array
  workNs: Float64Array
  durationNs: Float64Array
  /** By `lane, names`. */
  paths: Map<string, PathSeries>
}

const keyOf = (lane: string, path: readonly string[]): string => [lane, ...path].join('\n')

/** @param blockFrames length of a block; as frames hang together, if not given */
export function takenTogether(studies: Study[], blockFrames = blockFramesOf(studies)): Side {
  const cellFrames = Math.max(1, Math.round(blockFrames / CELLS_A_BLOCK))
  const cellsOf = studies.map((study) => Math.ceil(frameCount(study) / cellFrames))
  const cellCount = cellsOf.reduce((sum, cells) => sum + cells, 0)
  const frames = studies.reduce((sum, study) => sum + frameCount(study), 0)
  const side: Side = {
    ...{ studies, frames, cellFrames, seconds: 0 },
    cells: new Float64Array(cellCount),
    workNs: new Float64Array(frames),
    durationNs: new Float64Array(frames),
    paths: new Map(),
  }
  let firstFrame = 0
  let firstCell = 0
  studies.forEach((study, at) => {
    const count = frameCount(study)
    side.workNs.set(study.frames.workNs, firstFrame)
    side.durationNs.set(study.frames.durationNs, firstFrame)
    for (let frame = 0; frame < count; frame++) side.cells[firstCell + Math.floor(frame / cellFrames)]!++
    for (const course of study.courses.values()) {
      const series = seriesOf(side, study, course.path, cellCount)
      series.ids[at] = course.path
      const { details } = course
      for (let i = 0; i < course.frame.length; i++) {
        const cell = firstCell + Math.floor(course.frame[i]! / cellFrames)
        series.selfNs[cell]! += course.selfNs[i]!
        series.calls[cell]! += course.calls[i]!
        if (details === null) continue
        series.bytes[cell]! += details.bytes[i]!
        series.needless[cell]! += details.needless[i]!
      }
    }
    firstFrame += count
    firstCell += cellsOf[at]!
  })
  side.seconds = side.durationNs.reduce((sum, ns) => sum + ns, 0) / 1e9
  return side
}

/** As long as the whole frames' work hangs together: the longest of the takes decides. */
export const blockFramesOf = (studies: readonly Study[]): number =>
  studies.length === 0
    ? 1
    : Math.max(CELLS_A_BLOCK, median(studies.map(({ frames }) => blockLength(frames.workNs))))

function seriesOf(side: Side, study: Study, id: number, cells: number): PathSeries {
  const path = pathNames(study, id)
  const { lane, kind } = study.paths.get(id)
  const { name } = study.declarations.lane(lane)
  const key = keyOf(name, path)
  let series = side.paths.get(key)
  if (series === undefined) {
    series = {
      ...{ path, lane: name, ids: side.studies.map(() => null) },
      ...{ kind, isMain: lane === MAIN_LANE },
      selfNs: new Float64Array(cells),
      calls: new Float64Array(cells),
      bytes: new Float64Array(cells),
      needless: new Float64Array(cells),
    }
    side.paths.set(key, series)
  }
  return series
}
