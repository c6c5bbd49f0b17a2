/**
 * The course of every path over a chunk's frames: what it cost in each frame it ran in. Kept path by
 * path, so that one path's course is read without the others, and no span is touched.
 */
import { EFFECT_NONE, EFFECT_UNSAID, NO_KEY } from '../format/index.ts'
import { hasDetails, joinSections, splitSections, VarintWriter, type DigestedChunk } from '../take/index.ts'
import type { PathTable } from '../take/index.ts'
import { newCourseDetails, type CourseDetails } from './course-details.ts'

/** Cells sorted by path, then frame; a cell is one path in one frame it ran in. */
export interface Courses {
  /** Frames of the chunk. */
  frames: number
  /** Ascending. */
  path: Uint32Array
  /** For each path, the index after its last cell. */
  cellEnd: Uint32Array
  /** Frame within the chunk, from 0. */
  frame: Uint32Array
  calls: Uint32Array
  selfNs: Float64Array
  totalNs: Float64Array
  /** Null when no run said anything about itself. */
  details: CourseDetails | null
}

type SpansOfChunk = Pick<DigestedChunk, 'spans' | 'selfNs' | 'details' | 'selfBytes'>

/** Sums a chunk's spans into cells. One pass over the spans, no allocation per span. */
export function coursesOf(chunk: SpansOfChunk, paths: PathTable): Courses {
  const { frameEnd, path: pathOf, durationNs } = chunk.spans
  const spanSelfNs = chunk.selfNs
  const frames = frameEnd.length
  // What a chunk costs is not to grow with the paths of the whole take.
  let pathCount = 0
  for (let i = 0; i < pathOf.length; i++) if (pathOf[i]! >= pathCount) pathCount = pathOf[i]! + 1

  const lastFrame = new Int32Array(pathCount).fill(-1)
  const cellsOfPath = new Uint32Array(pathCount)
  for (let frame = 0, span = 0; frame < frames; frame++) {
    for (const end = frameEnd[frame]!; span < end; span++) {
      const path = pathOf[span]!
      if (lastFrame[path] !== frame) {
        lastFrame[path] = frame
        cellsOfPath[path]!++
      }
    }
  }

  const present = cellsOfPath.map((_, path) => path).filter((path) => cellsOfPath[path]! > 0)
  const cellEnd = new Uint32Array(present.length)
  /** By path: the cell being filled. */
  const cell = new Int32Array(pathCount)
  let cells = 0
  present.forEach((path, i) => {
    cell[path] = cells - 1
    cellEnd[i] = cells += cellsOfPath[path]!
  })
  const courses: Courses = {
    frames,
    path: present,
    cellEnd,
    frame: new Uint32Array(cells),
    calls: new Uint32Array(cells),
    selfNs: new Float64Array(cells),
    totalNs: new Float64Array(cells),
    details: hasDetails(chunk.details)
      ? detailsOf(chunk, paths, { cell: Int32Array.from(cell), cells, pathCount })
      : null,
  }
  lastFrame.fill(-1)
  const { frame: frameOf, calls, selfNs, totalNs } = courses
  for (let frame = 0, span = 0; frame < frames; frame++) {
    for (const end = frameEnd[frame]!; span < end; span++) {
      const path = pathOf[span]!
      if (lastFrame[path] !== frame) {
        lastFrame[path] = frame
        frameOf[++cell[path]!] = frame
      }
      const at = cell[path]!
      calls[at]!++
      selfNs[at]! += spanSelfNs[span]!
      totalNs[at]! += durationNs[span]!
    }
  }
  return courses
}

/** Multiplied with the marker it makes room for every key. */
const KEYS = 2 ** 32

/** The same pass for what runs said about themselves. */
function detailsOf(
  { spans, details: { effect, key }, selfBytes }: SpansOfChunk,
  paths: PathTable,
  { cell, cells, pathCount }: { cell: Int32Array; cells: number; pathCount: number },
): CourseDetails {
  const sums = newCourseDetails(cells)
  const lastFrame = new Int32Array(pathCount).fill(-1)
  const { all } = paths
  /** Questions asked in this frame, by marker and key, with their answers. */
  const asked = new Map<number, number>()
  for (let frame = 0, span = 0; frame < spans.frameEnd.length; frame++) {
    asked.clear()
    for (; span < spans.frameEnd[frame]!; span++) {
      const path = spans.path[span]!
      if (lastFrame[path] !== frame) {
        lastFrame[path] = frame
        cell[path]!++
      }
      const at = cell[path]!
      const answer = effect === null ? EFFECT_UNSAID : effect[span]!
      if (selfBytes !== null) {
        if (selfBytes[span]! >= 0) sums.bytes[at]! += selfBytes[span]!
        else sums.unknownBytes[at]!++
      }
      // A run with a key is a question, and what it says is the answer; in a wait for a job it is the job.
      if (key === null || key[span] === NO_KEY || all[path]!.kind !== 'work') {
        if (answer !== EFFECT_UNSAID) sums.said[at]!++
        if (answer !== EFFECT_NONE) continue
        sums.needless[at]!++
        sums.needlessNs[at]! += spans.durationNs[span]!
        continue
      }
      const question = all[path]!.marker * KEYS + key[span]!
      if (asked.get(question) === answer) {
        sums.repeated[at]!++
        sums.repeatedNs[at]! += spans.durationNs[span]!
      }
      asked.set(question, answer)
    }
  }
  return sums
}

/** Sections: paths with their cell counts, frames as distances, calls, self, children's time. */
export function packCourses(courses: Courses): Uint8Array {
  const [head, frames, calls, self, children] = Array.from({ length: 5 }, () => new VarintWriter()) as [
    VarintWriter,
    VarintWriter,
    VarintWriter,
    VarintWriter,
    VarintWriter,
  ]
  head.write(courses.frames)
  head.write(courses.path.length)
  let cell = 0
  courses.path.forEach((path, i) => {
    head.write(path)
    head.write(courses.cellEnd[i]! - cell)
    let last = -1
    for (; cell < courses.cellEnd[i]!; cell++) {
      frames.write(courses.frame[cell]! - last - 1)
      last = courses.frame[cell]!
      calls.write(courses.calls[cell]!)
      self.write(courses.selfNs[cell]!)
      // Not below self, except where children outlasted their parent and self was cut at 0.
      children.writeSigned(courses.totalNs[cell]! - courses.selfNs[cell]!)
    }
  })
  return joinSections([head, frames, calls, self, children].map((writer) => writer.bytes()))
}

export function unpackCourses(packed: Uint8Array): Courses {
  const [head, frames, calls, self, children] = splitSections(packed, 5)
  const frameCount = head!.read()
  const path = new Uint32Array(head!.read())
  const cellEnd = new Uint32Array(path.length)
  let cells = 0
  for (let i = 0; i < path.length; i++) {
    path[i] = head!.read()
    cellEnd[i] = cells += head!.read()
  }
  const courses: Courses = {
    frames: frameCount,
    path,
    cellEnd,
    frame: new Uint32Array(cells),
    calls: new Uint32Array(cells),
    selfNs: new Float64Array(cells),
    totalNs: new Float64Array(cells),
    details: null,
  }
  let cell = 0
  for (let i = 0; i < path.length; i++) {
    let last = -1
    for (; cell < cellEnd[i]!; cell++) {
      courses.frame[cell] = last = last + 1 + frames!.read()
      courses.calls[cell] = calls!.read()
      courses.selfNs[cell] = self!.read()
      courses.totalNs[cell] = courses.selfNs[cell]! + children!.readSigned()
    }
  }
  return courses
}
