/** Spans of one service instance, put together to a take as they come. */
import {
  FORMAT_VERSION,
  LIMITS,
  type FollowingRecord,
  type Moment,
  type TakeRecord,
} from '../format/index.ts'
import { Assembler, type LooseSpan } from './assemble.ts'
import { EarliestFirst } from './earliest-first.ts'
import type { OtlpResource, OtlpSpan } from './otlp.ts'

/** Spans that may wait for a frame, and frames for what belongs before them; the earliest are left out beyond it. */
const MOST_WAITING = 500_000
const TARGET = 60
const NS_PER_MS = 1_000_000n
/** Requests overtake each other: frames wait so long for what belongs before them, by the spans' own clock. */
const HOLD_NS = 1_500_000_000n

export class OtlpTake {
  readonly #take: string
  readonly #resource: OtlpResource
  readonly #mostWaiting: number
  readonly #waiting = new EarliestFirst<OtlpSpan>(({ startUnixNs }) => startUnixNs)
  readonly #frames = new EarliestFirst<OtlpSpan>(({ endUnixNs }) => endUnixNs)
  #assembler: Assembler | null = null
  #originNs = 0n
  #lastFrameNs = -1n
  #latestNs = 0n
  /** Spans that lie outside every frame, or came too late for theirs. */
  outside = 0

  /** @param mostWaiting spans of a stream that may wait; a file is there as a whole, and has no such bound */
  constructor(take: string, resource: OtlpResource, mostWaiting = MOST_WAITING) {
    this.#take = take
    this.#mostWaiting = mostWaiting
    this.#resource = resource
  }

  /** Takes spans and gives the records of the frames to which nothing more will come. */
  add(spans: readonly OtlpSpan[]): (TakeRecord | FollowingRecord)[] {
    for (const span of spans) {
      ;(span.isFrame ? this.#frames : this.#waiting).push(span)
      if (span.endUnixNs > this.#latestNs) this.#latestNs = span.endUnixNs
    }
    for (const waiting of [this.#waiting, this.#frames]) {
      for (; waiting.size > this.#mostWaiting; this.outside++) waiting.pop()
    }
    return this.#give(this.#latestNs - HOLD_NS)
  }

  /** Gives the records of all frames that have come: nothing has for a while. */
  flush(): (TakeRecord | FollowingRecord)[] {
    return this.#give(this.#latestNs)
  }

  /** The frames that ended by then. */
  #give(untilNs: bigint): (TakeRecord | FollowingRecord)[] {
    const frames = this.#newFrames(untilNs)
    if (frames.length === 0) return []
    const records: (TakeRecord | FollowingRecord)[] = []
    if (this.#assembler === null) {
      this.#assembler = new Assembler(frames[0]!.lane)
      this.#originNs = frames[0]!.startUnixNs
      records.push(this.#takeRecord())
    }
    const endNs = frames.at(-1)!.endUnixNs
    const due = this.#waiting.takeBefore(endNs)
    const inside = due.filter(({ startUnixNs }) => startUnixNs >= this.#originNs)
    this.outside += due.length - inside.length
    records.push(
      ...this.#assembler.chunks(
        frames.map((frame) => ({
          startNs: this.#since(frame.startUnixNs),
          durationNs: Number(frame.endUnixNs - frame.startUnixNs),
        })),
        inside.map((span) => this.#loose(span)),
        [...frames, ...inside].flatMap((span) => this.#moments(span)),
      ),
    )
    return records
  }

  /** Ends the take, after the last flush; null when it never had a frame. */
  end(): FollowingRecord | null {
    this.outside += this.#waiting.size
    this.#waiting.clear()
    return this.#assembler?.end() ?? null
  }

  /** Frames that have come, in order; one before those already given cannot be put in any more. */
  #newFrames(untilNs: bigint): OtlpSpan[] {
    const frames = this.#frames
      .takeBefore(untilNs + 1n)
      .sort((a, b) => (a.startUnixNs < b.startUnixNs ? -1 : a.startUnixNs > b.startUnixNs ? 1 : 0))
    const originNs = this.#assembler === null ? (frames[0]?.startUnixNs ?? 0n) : this.#originNs
    const later = frames.filter(
      ({ startUnixNs, endUnixNs }) =>
        startUnixNs > this.#lastFrameNs && endUnixNs - originNs <= BigInt(LIMITS.largestWhole),
    )
    this.outside += frames.length - later.length
    this.#lastFrameNs = later.at(-1)?.startUnixNs ?? this.#lastFrameNs
    return later
  }

  #since = (unixNs: bigint): number => Number(unixNs - this.#originNs)

  /** Field by field: copying objects of several shapes is many times slower. */
  #loose(span: OtlpSpan): LooseSpan {
    return {
      lane: span.lane,
      name: span.name,
      group: span.group,
      kind: span.kind,
      startNs: this.#since(span.startUnixNs),
      durationNs: Number(span.endUnixNs - span.startUnixNs),
      effect: span.effect,
      bytes: span.bytes,
      key: span.key,
      id: span.id,
      parent: span.parent,
    }
  }

  #moments({ events }: OtlpSpan): Moment[] {
    return events
      .filter(
        ({ atUnixNs }) =>
          atUnixNs >= this.#originNs && atUnixNs - this.#originNs <= BigInt(LIMITS.largestWhole),
      )
      .map(({ name, atUnixNs, data }) => ({ name, atNs: this.#since(atUnixNs), data }))
  }

  #takeRecord(): TakeRecord {
    return {
      record: 'take',
      lapsus: FORMAT_VERSION,
      take: this.#take,
      game: this.#resource.service,
      target: TARGET,
      started: new Date(Number(this.#originNs / NS_PER_MS)).toISOString(),
      conditions: { more: this.#resource.conditions },
    }
  }
}
