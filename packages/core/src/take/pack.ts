/**
 * Spans for storage: times as small differences, columns apart, ready to be deflated.
 *
 * The start of a span is kept as its distance from the point where it could have begun at the earliest:
 * the end of the span before it at the same depth, or else its parent's start.
 */
import type { PathTable } from './paths.ts'
import { firstSpan, type SpanColumns } from './spans.ts'
import { VarintReader, VarintWriter } from './varint.ts'

/** Sections one after the other, each preceded by its length: counts, paths, gaps, durations. */
export function packSpans(spans: SpanColumns, frameStartNs: Float64Array, paths: PathTable): Uint8Array {
  const counts = new VarintWriter()
  const pathIds = new VarintWriter()
  const gaps = new VarintWriter()
  const durations = new VarintWriter()
  const earliest = new EarliestStart(paths)
  for (let frame = 0; frame < spans.frameEnd.length; frame++) {
    const from = firstSpan(spans, frame)
    const to = spans.frameEnd[frame]!
    counts.write(to - from)
    earliest.startFrame(frameStartNs[frame]!)
    for (let span = from; span < to; span++) {
      const path = spans.path[span]!
      pathIds.write(path)
      gaps.writeSigned(spans.startNs[span]! - earliest.of(path))
      durations.write(spans.durationNs[span]!)
      earliest.passed(path, spans.startNs[span]!, spans.durationNs[span]!)
    }
  }
  return joinSections([counts, pathIds, gaps, durations].map((writer) => writer.bytes()))
}

/** All spans of a packed stretch. */
export function unpackSpans(packed: Uint8Array, frameStartNs: Float64Array, paths: PathTable): SpanColumns {
  return unpackFrames(packed, frameStartNs, paths, 0, frameStartNs.length)
}

/**
 * The spans of the frames `from` to before `to`. Those before are passed over, those after not looked at:
 * each frame is packed on its own.
 */
export function unpackFrames(
  packed: Uint8Array,
  frameStartNs: Float64Array,
  paths: PathTable,
  from: number,
  to: number,
): SpanColumns {
  const [counts, pathIds, gaps, durations] = splitSections(packed, 4)
  let before = 0
  for (let frame = 0; frame < from; frame++) before += counts!.read()
  for (const section of [pathIds, gaps, durations]) section!.skip(before)
  const frameEnd = new Uint32Array(to - from)
  let total = 0
  for (let frame = 0; frame < frameEnd.length; frame++) frameEnd[frame] = total += counts!.read()
  const spans = {
    frameEnd,
    path: new Uint32Array(total),
    startNs: new Float64Array(total),
    durationNs: new Float64Array(total),
  }
  const earliest = new EarliestStart(paths)
  let span = 0
  for (let frame = 0; frame < frameEnd.length; frame++) {
    earliest.startFrame(frameStartNs[from + frame]!)
    for (; span < frameEnd[frame]!; span++) {
      const path = pathIds!.read()
      const startNs = earliest.of(path) + gaps!.readSigned()
      const durationNs = durations!.read()
      spans.path[span] = path
      spans.startNs[span] = startNs
      spans.durationNs[span] = durationNs
      earliest.passed(path, startNs, durationNs)
    }
  }
  return spans
}

/** Follows one frame's spans and knows where the next of a path could begin at the earliest. */
class EarliestStart {
  readonly #laneOf: readonly number[]
  readonly #depthOf: readonly number[]
  /** By depth: where the next span at that depth may start. */
  readonly #nextNs = new Float64Array(257)
  #frameStartNs = 0
  #lane = -1

  constructor(paths: PathTable) {
    this.#laneOf = paths.laneOf
    this.#depthOf = paths.depthOf
  }

  startFrame(startNs: number): void {
    this.#frameStartNs = startNs
    this.#lane = -1
  }

  of(path: number): number {
    const lane = this.#laneOf[path]
    if (lane === undefined) throw new RangeError(`packed spans name path ${path}, which does not exist`)
    if (lane !== this.#lane) {
      this.#lane = lane
      this.#nextNs[0] = this.#frameStartNs
    }
    return this.#nextNs[this.#depthOf[path]!]!
  }

  passed(path: number, startNs: number, durationNs: number): void {
    const depth = this.#depthOf[path]!
    this.#nextNs[depth] = startNs + durationNs
    this.#nextNs[depth + 1] = startNs
  }
}

export function joinSections(sections: Uint8Array[]): Uint8Array {
  const head = new VarintWriter()
  for (const section of sections) head.write(section.length)
  const joined = new Uint8Array(sections.reduce((sum, section) => sum + section.length, head.length))
  joined.set(head.bytes())
  let at = head.length
  for (const section of sections) {
    joined.set(section, at)
    at += section.length
  }
  return joined
}

export function splitSections(joined: Uint8Array, count: number): VarintReader[] {
  const head = new VarintReader(joined)
  const lengths = Array.from({ length: count }, () => head.read())
  let at = head.position
  return lengths.map((length) => {
    const section = new VarintReader(joined.subarray(at, at + length))
    at += length
    return section
  })
}
