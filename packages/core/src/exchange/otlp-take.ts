/** Spans of one service instance, put together to a take as they come. */
import { FORMAT_VERSION, LIMITS, type FollowingRecord, type TakeRecord } from '../format/index.ts'
import { Assembler } from './assemble.ts'
import { EarliestFirst } from './earliest-first.ts'
import { LooseSpans } from './loose-spans.ts'
import type { OtlpService } from './otlp.ts'
import type { OtlpFrame, OtlpTable } from './otlp-rows.ts'
import { shiftNs, unixMs } from './unix-times.ts'

const TARGET = 60

interface Patience {
  /** Spans that may wait for a frame, and frames for what belongs before them; the earliest are left out beyond it. */
  mostWaiting: number
  /** Requests overtake each other: frames wait so long for what belongs before them, by the spans' own clock. */
  holdNs: number
}
const STREAM: Patience = { mostWaiting: 500_000, holdNs: 1.5e9 }
/** Ordering those that wait takes time: not for each that is too many. */
const SLACK = 1.1
/** All is there before the flush, in any order. */
export const WHOLE_FILE: Patience = { mostWaiting: Infinity, holdNs: Infinity }

export class OtlpTake {
  readonly #take: string
  readonly #resource: OtlpService<unknown>
  readonly #patience: Patience
  #waiting = new LooseSpans()
  readonly #frames = new EarliestFirst<OtlpFrame>(endOf)
  #assembler: Assembler | null = null
  /** Times of the spans count from the first resource's base, those of records from here. */
  #originNs = 0
  #lastFrameNs = -Infinity
  #latestNs = -Infinity
  /** Spans that lie outside every frame, or came too late for theirs. */
  outside = 0

  constructor(take: string, resource: OtlpService<unknown>, patience = STREAM) {
    this.#take = take
    this.#patience = patience
    this.#resource = resource
  }

  /** Takes spans, which are its own from then on, and gives the records of the frames to which nothing more will come. */
  add({ baseS, spans }: Pick<OtlpTable, 'baseS' | 'spans'>): (TakeRecord | FollowingRecord)[] {
    const shift = shiftNs(baseS, this.#resource.baseS)
    for (const frame of spans.frames) {
      move(frame, shift)
      this.#frames.push(frame)
      this.#latestNs = Math.max(this.#latestNs, endOf(frame))
    }
    this.#waiting.addAll(spans.others, shift)
    this.#latestNs = Math.max(this.#latestNs, spans.others.latestNs + shift)
    const { mostWaiting } = this.#patience
    if (this.#waiting.count > mostWaiting * SLACK) this.#leaveOutEarliest(this.#waiting.count - mostWaiting)
    for (; this.#frames.size > mostWaiting; this.outside++) this.#frames.pop()
    return this.#give(this.#latestNs - this.#patience.holdNs)
  }

  #leaveOutEarliest(count: number): void {
    this.#waiting = this.#waiting.those(this.#waiting.inOrder().subarray(count))
    this.outside += count
  }

  /** Gives the records of all frames that have come: nothing has for a while. */
  flush(): (TakeRecord | FollowingRecord)[] {
    return this.#give(this.#latestNs)
  }

  /** The frames that ended by then. */
  #give(untilNs: number): (TakeRecord | FollowingRecord)[] {
    const frames = this.#newFrames(untilNs)
    if (frames.length === 0) return []
    const records: (TakeRecord | FollowingRecord)[] = []
    if (this.#assembler === null) {
      this.#assembler = new Assembler(frames[0]!.lane)
      this.#originNs = frames[0]!.startNs
      records.push(this.#takeRecord())
    }
    const inside = this.#takeInside(endOf(frames.at(-1)!))
    for (const frame of frames) move(frame, -this.#originNs)
    inside.countFrom(this.#originNs)
    const moments = [...frames.map(({ events }) => events), ...inside.events.values()].flatMap((events) =>
      events.filter(({ atNs }) => atNs >= 0 && atNs <= LIMITS.largestWhole),
    )
    for (const record of this.#assembler.chunks(frames, inside, moments)) records.push(record)
    return records
  }

  /** Takes out the spans before `untilNs`, and leaves out those before the first frame. */
  #takeInside(untilNs: number): LooseSpans {
    const waiting = this.#waiting
    const inside = waiting.between(this.#originNs, untilNs)
    this.#waiting = waiting.between(untilNs, Infinity)
    this.outside += waiting.count - inside.count - this.#waiting.count
    return inside
  }

  /** Ends the take, after the last flush; null when it never had a frame. */
  end(): FollowingRecord | null {
    this.outside += this.#waiting.count
    this.#waiting = new LooseSpans()
    return this.#assembler?.end() ?? null
  }

  /** Frames that have come, in order; one before those already given cannot be put in any more. */
  #newFrames(untilNs: number): OtlpFrame[] {
    const frames = this.#frames.takeUntil(untilNs).sort((a, b) => a.startNs - b.startNs)
    const originNs = this.#assembler === null ? (frames[0]?.startNs ?? 0) : this.#originNs
    const later = frames.filter(
      (frame) => frame.startNs > this.#lastFrameNs && endOf(frame) - originNs <= LIMITS.largestWhole,
    )
    this.outside += frames.length - later.length
    this.#lastFrameNs = later.at(-1)?.startNs ?? this.#lastFrameNs
    return later
  }

  #takeRecord(): TakeRecord {
    return {
      record: 'take',
      lapsus: FORMAT_VERSION,
      take: this.#take,
      game: this.#resource.service,
      target: TARGET,
      started: new Date(unixMs(this.#originNs, this.#resource.baseS)).toISOString(),
      conditions: { more: this.#resource.conditions },
    }
  }
}

const endOf = ({ startNs, durationNs }: OtlpFrame): number => startNs + durationNs

/** In place: copies of objects of several shapes are many times slower. */
function move(frame: OtlpFrame, byNs: number): void {
  if (byNs === 0) return
  frame.startNs += byNs
  for (const event of frame.events) event.atNs += byNs
}
