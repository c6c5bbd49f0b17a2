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
import type { SpanColumns } from './spans.ts'
import { putVarint, unzigzag, VarintReader, VarintWriter, zigzag } from './varint.ts'

/** Below it arithmetic on whole numbers does, which is several times as fast. */
const MOST_INT = 0x7fff_ffff

/**
 * Sections: counts, paths, then the low bytes and the rest of gaps and of durations.
 * Numbers are put by the loop itself: with a writer that is called for each of them it takes twice as long.
 */
export function packSpans(spans: SpanColumns, frameStartNs: Float64Array, paths: PathTable): Uint8Array {
  const { frameEnd, path: pathOf, startNs, durationNs } = spans
  const total = pathOf.length
  const counts = new VarintWriter(frameEnd.length)
  const pathIds = new VarintWriter(total)
  const gapsLow = new Uint8Array(total)
  const gapsHigh = new VarintWriter(2 * total)
  const durationsLow = new Uint8Array(total)
  const durationsHigh = new VarintWriter(2 * total)
  const earliest = new EarliestStart(paths)
  for (let frame = 0, span = 0; frame < frameEnd.length; frame++) {
    const end = frameEnd[frame]!
    counts.write(end - span)
    const ids = pathIds.room(end - span)
    const gaps = gapsHigh.room(end - span)
    const durations = durationsHigh.room(end - span)
    let idAt = pathIds.length
    let gapAt = gapsHigh.length
    let durationAt = durationsHigh.length
    earliest.startFrame(frameStartNs[frame]!)
    for (; span < end; span++) {
      const path = pathOf[span]!
      idAt = putVarint(ids, idAt, path)
      const start = startNs[span]!
      const duration = durationNs[span]!
      const gap = zigzag(start - earliest.of(path))
      gapsLow[span] = lowByte(gap)
      gapAt = putVarint(gaps, gapAt, rest(gap))
      durationsLow[span] = lowByte(duration)
      durationAt = putVarint(durations, durationAt, rest(duration))
      earliest.passed(path, start, duration)
    }
    pathIds.moveTo(idAt)
    gapsHigh.moveTo(gapAt)
    durationsHigh.moveTo(durationAt)
  }
  const high = [gapsHigh, durationsHigh].map((writer) => writer.bytes())
  return joinSections([counts.bytes(), pathIds.bytes(), gapsLow, high[0]!, durationsLow, high[1]!])
}

const lowByte = (value: number): number => (value <= MOST_INT ? value & 0xff : value % 256)
const rest = (value: number): number => (value <= MOST_INT ? value >> 8 : Math.floor(value / 256))

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
