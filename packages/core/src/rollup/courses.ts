/**
 * The course of every path over a chunk's frames: what it cost in each frame it ran in. Kept path by
 * path, so that one path's course is read without the others, and no span is touched.
 */
import { joinSections, splitSections, VarintWriter, type DigestedChunk } from '../take/index.ts'

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
}

/** Sums a chunk's spans into cells. One pass over the spans, no allocation per span. */
export function coursesOf(chunk: Pick<DigestedChunk, 'frames' | 'spans' | 'selfNs'>): Courses {
  const { spans, selfNs } = chunk
  const frames = spans.frameEnd.length
  let paths = 0
  for (let i = 0; i < spans.path.length; i++) if (spans.path[i]! >= paths) paths = spans.path[i]! + 1

  const lastFrame = new Int32Array(paths).fill(-1)
  const cellsOfPath = new Uint32Array(paths)
  for (let frame = 0, span = 0; frame < frames; frame++) {
    for (; span < spans.frameEnd[frame]!; span++) {
      const path = spans.path[span]!
      if (lastFrame[path] !== frame) {
        lastFrame[path] = frame
        cellsOfPath[path]!++
      }
    }
  }

  const present = Uint32Array.from(cellsOfPath.keys()).filter((path) => cellsOfPath[path]! > 0)
  const cellEnd = new Uint32Array(present.length)
  /** By path: the cell being filled. */
  const cell = new Int32Array(paths)
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
  }
  lastFrame.fill(-1)
  for (let frame = 0, span = 0; frame < frames; frame++) {
    for (; span < spans.frameEnd[frame]!; span++) {
      const path = spans.path[span]!
      if (lastFrame[path] !== frame) {
        lastFrame[path] = frame
        courses.frame[++cell[path]!] = frame
      }
      const at = cell[path]!
      courses.calls[at]!++
      courses.selfNs[at]! += selfNs[span]!
      courses.totalNs[at]! += spans.durationNs[span]!
    }
  }
  return courses
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
