/**
 * Spans for storage: times as small differences, columns apart, ready to be deflated.
 *
 * The lowest byte of a time is mostly noise, the rest is not: they are kept apart, since noise among the
 * rest would spoil its packing (12 % of the whole on the demo game).
 *
 * The start of a span is kept as its distance from the point where it could have begun at the earliest:
 * the end of the span before it at the same depth, or else its parent's start.
 */
import type { PathTable } from './paths.ts'
import { firstSpan, type SpanColumns } from './spans.ts'
import { unzigzag, VarintReader, VarintWriter, zigzag } from './varint.ts'

/** Below it arithmetic on whole numbers does, which is several times as fast. */
const MOST_INT = 0x7fff_ffff

/** Sections: counts, paths, then the low bytes and the rest of gaps and of durations. */
export function packSpans(spans: SpanColumns, frameStartNs: Float64Array, paths: PathTable): Uint8Array {
  const total = spans.path.length
  const counts = new VarintWriter(spans.frameEnd.length)
  const pathIds = new VarintWriter(total)
  const gaps = new SplitWriter(total)
  const durations = new SplitWriter(total)
  const earliest = new EarliestStart(paths)
  for (let frame = 0; frame < spans.frameEnd.length; frame++) {
    const from = firstSpan(spans, frame)
    const to = spans.frameEnd[frame]!
    counts.write(to - from)
    earliest.startFrame(frameStartNs[frame]!)
    for (let span = from; span < to; span++) {
      const path = spans.path[span]!
      pathIds.write(path)
      gaps.write(zigzag(spans.startNs[span]! - earliest.of(path)))
      durations.write(spans.durationNs[span]!)
      earliest.passed(path, spans.startNs[span]!, spans.durationNs[span]!)
    }
  }
  const writers = [counts, pathIds, gaps.low, gaps.high, durations.low, durations.high]
  return joinSections(writers.map((writer) => writer.bytes()))
}

/** All spans of packed frames. */
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
  const [counts, pathIds, gapsLow, gapsHigh, durationsLow, durationsHigh] = splitSections(packed, 6)
  const gaps = new SplitReader(gapsLow!, gapsHigh!)
  const durations = new SplitReader(durationsLow!, durationsHigh!)
  let before = 0
  for (let frame = 0; frame < from; frame++) before += counts!.read()
  for (const section of [pathIds!, gaps, durations]) section.skip(before)
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
      const startNs = earliest.of(path) + unzigzag(gaps.read())
      const durationNs = durations.read()
      spans.path[span] = path
      spans.startNs[span] = startNs
      spans.durationNs[span] = durationNs
      earliest.passed(path, startNs, durationNs)
    }
  }
  return spans
}

/** Whole numbers with their lowest byte in a column of its own. */
class SplitWriter {
  readonly low: VarintWriter
  readonly high: VarintWriter

  /** @param count about how many numbers there will be */
  constructor(count: number) {
    this.low = new VarintWriter(count)
    this.high = new VarintWriter(2 * count)
  }

  write(value: number): void {
    if (value <= MOST_INT) {
      const whole = value | 0
      this.low.writeByte(whole & 0xff)
      this.high.write(whole >> 8)
    } else {
      this.low.writeByte(value % 256)
      this.high.write(Math.floor(value / 256))
    }
  }
}

class SplitReader {
  readonly #low: VarintReader
  readonly #high: VarintReader

  constructor(low: VarintReader, high: VarintReader) {
    this.#low = low
    this.#high = high
  }

  read(): number {
    return this.#low.readByte() + 256 * this.#high.read()
  }

  skip(count: number): void {
    this.#low.skipBytes(count)
    this.#high.skip(count)
  }
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
