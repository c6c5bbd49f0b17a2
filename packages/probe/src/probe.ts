import {
  encodeRecord,
  FORMAT_VERSION,
  LIMITS,
  type ChunkRecord,
  type Conditions,
  type Moment,
} from '@lapsus/core/format'
import { calibrate, warmUp } from './calibrate.ts'
import { LaneProbe, receiveLanes, type LaneBatch } from './lane-link.ts'
import { PendingLane } from './pending-lane.ts'
import type { Sink } from './sinks/sink.ts'
import { SPAN_CAPACITY, SpanRecorder, toNs, type MarkerId } from './span-recorder.ts'

/** A gauge's handle: what `gauge` takes. */
export type GaugeId = number

export interface ProbeSettings {
  game: string
  /** Frames a second the game aims for. */
  target: number
  /** Null switches the probe off. */
  sink: Sink | null
  /** Identifies the take: 8 to 64 letters, digits, '-', '_'. */
  take: string
  conditions: Conditions
}

/** Spans are handed over twice a second, or sooner when this many have gathered. */
const HAND_OVER_MS = 500
const HAND_OVER_SPANS = SPAN_CAPACITY / 2
const MAIN_LANE = 0

/**
 * Records one take of one game. Calls never throw and never wait; what cannot be kept is left out in
 * whole frames, counted, and said in the take.
 */
export class Probe extends SpanRecorder {
  readonly #settings: ProbeSettings
  readonly #recorderMarker: MarkerId
  #sink: Sink | null
  /** Of the next record; 0 until the take has begun. */
  #sequence = 0
  #originMs = 0
  #declared = { markers: 0, gauges: 0, lanes: 0 }
  #lastHandOverMs = 0
  #stopLanes: (() => void) | null = null

  #frameOpen = false
  #frameStartMs = 0
  #frameFirstSpan = 0
  #frameSteps = 0
  #dropped = 0
  #frameStartsNs: number[] = []
  #frameDurationsNs: number[] = []
  #frameSpans: number[] = []
  #steps: number[] = []

  readonly #gauges: string[] = []
  readonly #gaugeValue: number[] = []
  readonly #gaugeSet: boolean[] = []
  #samples: { frame: number[]; value: number[] }[] = []
  #moments: Moment[] = []
  readonly #lanes = new Map<string, PendingLane>()

  constructor(settings: ProbeSettings) {
    super()
    this.#settings = settings
    this.#sink = settings.sink
    this.#recorderMarker = this.marker('recorder.send', { group: 'recorder' })
  }

  /** Whether anything is recorded. */
  get recording(): boolean {
    return this.#sink !== null
  }

  /** Closes the last frame and opens the next. Call it once a turn of the game loop, at its top. */
  frame(): void {
    if (this.#sink === null) return
    if (this.#sequence === 0) this.#start(this.#sink)
    const nowMs = performance.now()
    this.#closeFrame(nowMs)
    const due = nowMs - this.#lastHandOverMs >= HAND_OVER_MS || this.count >= HAND_OVER_SPANS
    if (due && this.#sink.hasRoom()) {
      this.#handOver(this.#sink)
      this.#lastHandOverMs = nowMs
      this.#openFrame(nowMs)
      // The hand-over is the recorder's doing, but it takes the game's time: it must show.
      if (this.on) this.addClosed(this.#recorderMarker, nowMs, performance.now() - nowMs)
    } else {
      this.#openFrame(nowMs)
    }
  }

  /** Says how many fixed steps the current frame has run; calls add up. */
  steps(count: number): void {
    if (count > 0) this.#frameSteps += Math.floor(count)
  }

  /** Declares a number that is sampled per frame, once, outside the loop. */
  gaugeId(name: string): GaugeId {
    const shortName = String(name).slice(0, LIMITS.nameLength) || '(no name)'
    const known = this.#gauges.indexOf(shortName)
    if (known >= 0) return known
    if (this.#gauges.length >= LIMITS.gauges) return LIMITS.gauges
    this.#samples.push({ frame: [], value: [] })
    return this.#gauges.push(shortName) - 1
  }

  /** Sets a gauge's value for the current frame; the last value counts, one that is not finite does not. */
  gauge(gauge: GaugeId, value: number): void {
    if (!this.on || !Number.isFinite(value)) return
    this.#gaugeValue[gauge] = value
    this.#gaugeSet[gauge] = true
  }

  /** Notes that the game did something at this instant. Texts, finite numbers and truth values are kept. */
  moment(name: string, data?: Record<string, unknown>): void {
    if (!this.#frameOpen || this.#moments.length >= LIMITS.chunkMoments) return
    this.#moments.push({
      name: String(name).slice(0, LIMITS.nameLength) || '(no name)',
      atNs: toNs(performance.now() - this.#originMs),
      data: data === undefined ? null : keepScalars(data),
    })
  }

  /**
   * In a worker thread: a recorder for this thread, shown beside the main one as lane `name`. Its spans
   * travel to the main thread's probe of the same game.
   */
  lane(name: string): LaneProbe {
    return new LaneProbe(this.#settings.game, name, this.markers)
  }

  /** Ends the take and delivers what is left. */
  async close(): Promise<void> {
    const sink = this.#sink
    this.finish()
    await sink?.close()
  }

  /** Closes the last frame and hands everything over, without waiting for its delivery. */
  finish(): void {
    const sink = this.#sink
    this.#sink = null
    if (sink === null || this.#sequence === 0) return
    const nowMs = performance.now()
    const hasSpans = this.count > this.#frameFirstSpan
    if (hasSpans || !this.on) this.#closeFrame(nowMs)
    this.on = false
    this.#stopLanes?.()
    this.#handOver(sink)
    const sequence = this.#sequence++
    sink.put(encodeRecord({ record: 'end', sequence, dropped: this.#dropped }), sequence)
  }

  #start(sink: Sink): void {
    const { game, target, take, conditions } = this.#settings
    warmUp()
    const recorder = calibrate()
    this.#originMs = performance.now()
    this.#lastHandOverMs = this.#originMs
    const record = encodeRecord({
      record: 'take',
      lapsus: FORMAT_VERSION,
      take,
      game,
      target,
      started: new Date().toISOString(),
      conditions: { mode: 'timing', ...conditions, recorder },
    })
    this.#sequence = 1
    sink.put(record, 0)
    this.#stopLanes = receiveLanes(game, (batch) => this.#receiveLane(batch))
  }

  #openFrame(nowMs: number): void {
    // Without room for another frame's spans the frame is not recorded at all, rather than in part.
    this.on = this.count < HAND_OVER_SPANS || this.count === 0
    this.#frameOpen = true
    this.#frameStartMs = nowMs
    this.#frameFirstSpan = this.count
    this.#frameSteps = 0
  }

  #closeFrame(nowMs: number): void {
    if (!this.#frameOpen) return
    this.#frameOpen = false
    this.closeOpenSpans(nowMs)
    if (!this.on || this.overflowed || this.#frameStartsNs.length >= LIMITS.chunkFrames) {
      this.truncate(this.#frameFirstSpan)
      this.#gaugeSet.fill(false)
      this.#dropped++
      return
    }
    this.convertTimes(this.#frameFirstSpan, this.#originMs)
    const frame = this.#frameStartsNs.length
    this.#frameStartsNs.push(toNs(this.#frameStartMs - this.#originMs))
    this.#frameDurationsNs.push(toNs(nowMs - this.#frameStartMs))
    this.#frameSpans.push(this.count - this.#frameFirstSpan)
    this.#steps.push(this.#frameSteps)
    for (let gauge = 0; gauge < this.#gauges.length; gauge++) {
      if (!this.#gaugeSet[gauge]) continue
      this.#gaugeSet[gauge] = false
      this.#samples[gauge]!.frame.push(frame)
      this.#samples[gauge]!.value.push(this.#gaugeValue[gauge]!)
    }
  }

  #receiveLane(batch: LaneBatch): void {
    let lane = this.#lanes.get(batch.lane)
    if (lane === undefined) {
      if (this.#lanes.size + 1 >= LIMITS.lanes) return
      lane = new PendingLane(this.#lanes.size + 1)
      this.#lanes.set(batch.lane, lane)
    }
    const markerIds = batch.markers.map(({ name, group, kind }) => this.marker(name, { group, kind }))
    const shiftNs = (batch.timeOriginMs - performance.timeOrigin - this.#originMs) * 1e6
    const { marker, startNs, durationNs, depth } = batch.spans
    for (let i = 0; i < marker.length; i++) {
      marker[i] = markerIds[marker[i]!]!
      startNs[i] = Math.max(0, Math.round(startNs[i]! + shiftNs))
    }
    lane.add({ marker, startNs, durationNs, depth })
    this.repaired += batch.repaired
  }

  /** Encodes what has gathered as one chunk, declarations first, and starts afresh. */
  #handOver(sink: Sink): void {
    if (this.#frameStartsNs.length === 0) return
    this.#declareNew(sink)
    const frameStartNs = Float64Array.from(this.#frameStartsNs)
    const main = this.copySpans(MAIN_LANE, Uint32Array.from(this.#frameSpans))
    const sequence = this.#sequence++
    const chunk: ChunkRecord = {
      record: 'chunk',
      sequence,
      frameStartNs,
      frameDurationNs: Float64Array.from(this.#frameDurationsNs),
      steps: Uint32Array.from(this.#steps),
      lanes: [main, ...[...this.#lanes.values()].map((lane) => lane.take(frameStartNs))],
      gauges: this.#samples.flatMap(({ frame, value }, gauge) =>
        frame.length === 0
          ? []
          : [{ gauge, frame: Uint32Array.from(frame), value: Float64Array.from(value) }],
      ),
      moments: this.#moments,
      dropped: this.#dropped,
      repaired: this.repaired,
    }
    sink.put(encodeRecord(chunk), sequence)
    this.truncate(0)
    this.#frameStartsNs = []
    this.#frameDurationsNs = []
    this.#frameSpans = []
    this.#steps = []
    this.#moments = []
    this.#samples = this.#samples.map(() => ({ frame: [], value: [] }))
    this.#dropped = 0
    this.repaired = 0
  }

  #declareNew(sink: Sink): void {
    const laneNames = ['main', ...this.#lanes.keys()]
    const declared = this.#declared
    const { markers, gauges, lanes } = declared
    if (this.markers.length === markers && this.#gauges.length === gauges && laneNames.length === lanes)
      return
    const sequence = this.#sequence++
    const record = encodeRecord({
      record: 'declare',
      sequence,
      markers: this.markers.slice(markers).map((marker, i) => ({ id: markers + i, ...marker })),
      lanes: laneNames.slice(lanes).map((name, i) => ({ id: lanes + i, name })),
      gauges: this.#gauges.slice(gauges).map((name, i) => ({ id: gauges + i, name, unit: '' })),
    })
    sink.put(record, sequence)
    this.#declared = { markers: this.markers.length, gauges: this.#gauges.length, lanes: laneNames.length }
  }
}

function keepScalars(data: Record<string, unknown>): Moment['data'] {
  const kept = Object.entries(data).filter(
    ([, value]) => typeof value === 'string' || typeof value === 'boolean' || Number.isFinite(value),
  )
  return Object.fromEntries(kept) as Moment['data']
}
