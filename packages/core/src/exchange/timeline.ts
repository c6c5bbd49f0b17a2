/** W3C Performance Timeline entries as JSON, the way `performance.getEntries()` gives them. */
import {
  BYTES_UNKNOWN,
  EFFECT_UNSAID,
  FORMAT_VERSION,
  FormatError,
  LIMITS,
  type Moment,
} from '../format/index.ts'
import { Assembler, type LooseFrame, type LooseSpan } from './assemble.ts'
import type { ImportFormat, OnRecord } from './import-format.ts'
import { usualEntries, type Entry } from './timeline-text.ts'
import { parseJson, WholeFileSource } from './whole-file.ts'

const NS_PER_MS = 1e6
const MAIN_LANE = 'main'
/** Entries that the browser itself makes, kept on a lane of their own. */
const BROWSER_LANE = 'browser'
const OWN_TYPES = ['mark', 'measure']
const BROWSER_TYPES = ['longtask', 'long-animation-frame', 'event', 'task', 'resource', 'navigation']
const MOST_ORIGIN_MS = Date.UTC(LIMITS.lastYear - 1, 0)
const DEFAULT_FRAME_MARKER = 'frame'
const TARGET = 60
/** Half the largest time, so that a start and a duration together keep within it. */
const MOST_MS = Math.floor(LIMITS.largestWhole / 2 / NS_PER_MS)

class TimelineSource extends WholeFileSource {
  readonly format = 'timeline'

  protected give(bytes: Uint8Array, onRecord: OnRecord): void {
    const { frameMarker = DEFAULT_FRAME_MARKER, take, game } = this.options
    const { entries, timeOrigin } = this.#entries(usualEntries(bytes) ?? parseJson(bytes))
    const frames = framesOf(entries, frameMarker)
    if (frames.length === 0) {
      throw new FormatError(
        'not-a-take',
        `no measure and no mark is named ${JSON.stringify(frameMarker)}; say with --frame-marker which one is a frame`,
      )
    }
    const originNs = frames[0]!.startNs
    const place = this.place
    onRecord(
      {
        record: 'take',
        lapsus: FORMAT_VERSION,
        take,
        game,
        target: TARGET,
        started: new Date(timeOrigin + originNs / NS_PER_MS).toISOString(),
        conditions: { more: { source: 'Performance Timeline' } },
      },
      place,
    )
    const assembler = new Assembler(MAIN_LANE)
    const spans: LooseSpan[] = []
    const moments: Moment[] = []
    for (const entry of entries) {
      const startNs = Math.round(entry.startTime * NS_PER_MS) - originNs
      if (entry.name === frameMarker || startNs < 0) continue
      if (entry.entryType === 'mark') moments.push({ name: entry.name, atNs: startNs, data: null })
      else {
        const isMeasure = entry.entryType === 'measure'
        spans.push({
          lane: isMeasure ? MAIN_LANE : BROWSER_LANE,
          name: isMeasure ? entry.name : entry.entryType,
          group: isMeasure ? '' : BROWSER_LANE,
          kind: 'work',
          startNs,
          durationNs: Math.round(entry.duration * NS_PER_MS),
          effect: EFFECT_UNSAID,
          bytes: BYTES_UNKNOWN,
        })
      }
    }
    const shifted = frames.map(({ startNs, durationNs }) => ({ startNs: startNs - originNs, durationNs }))
    for (const record of assembler.chunks(shifted, spans, moments)) onRecord(record, place)
    onRecord(assembler.end(), place)
  }

  /** The entries that can be used; an array, or an object that has it beside the time origin. */
  #entries(value: unknown): { entries: Entry[]; timeOrigin: number } {
    const holder = (Array.isArray(value) ? { entries: value } : value) as {
      entries?: unknown
      timeOrigin?: unknown
    } | null
    if (!Array.isArray(holder?.entries)) {
      throw new FormatError('not-a-take', 'neither an array of entries nor an object with "entries"')
    }
    const entries: Entry[] = []
    holder.entries.forEach((raw: unknown, i) => {
      const wrong = whatIsWrong(raw)
      if (wrong === null) entries.push(shortlyNamed(raw as Entry))
      else if (wrong !== '') this.skipped.add(`entry ${i}: ${wrong}`)
    })
    if (entries.length === 0) {
      throw new FormatError('not-a-take', this.skipped.named[0] ?? 'there is no entry in it')
    }
    return { entries, timeOrigin: this.#timeOrigin(holder.timeOrigin) }
  }

  /** Ms since 1970; 0 where it is not given, or no date a take can have. */
  #timeOrigin(given: unknown): number {
    if (given === undefined) return 0
    // Entries are added to it.
    if (typeof given === 'number' && given >= 0 && given < MOST_ORIGIN_MS) return given
    this.skipped.add(`"timeOrigin": expected ms since 1970, got ${JSON.stringify(given)}`)
    return 0
  }
}

const shortlyNamed = (entry: Entry): Entry =>
  entry.name.length <= LIMITS.nameLength ? entry : { ...entry, name: entry.name.slice(0, LIMITS.nameLength) }

/** Null for a good entry, empty for one of a type that says nothing about code. */
function whatIsWrong(raw: unknown): string | null {
  const entry = raw as Partial<Entry> | null
  if (entry === null || typeof entry !== 'object') return 'expected an object'
  if (typeof entry.name !== 'string' || entry.name === '') return 'expected "name" to be a text'
  if (typeof entry.entryType !== 'string') return 'expected "entryType" to be a text'
  for (const field of ['startTime', 'duration'] as const) {
    const value = entry[field]
    if (typeof value !== 'number' || !(value >= 0) || value > MOST_MS) {
      return `expected "${field}" to be a number of ms from 0 to ${MOST_MS}, got ${JSON.stringify(value)}`
    }
  }
  return OWN_TYPES.includes(entry.entryType) || BROWSER_TYPES.includes(entry.entryType) ? null : ''
}

/** Measures of that name are frames; or else marks of that name begin them. */
function framesOf(entries: Entry[], frameMarker: string): LooseFrame[] {
  const own = entries.filter(({ name }) => name === frameMarker).sort((a, b) => a.startTime - b.startTime)
  const measures = own.filter(({ entryType }) => entryType === 'measure')
  const startNs = ({ startTime }: Entry) => Math.round(startTime * NS_PER_MS)
  if (measures.length > 0) {
    return measures.map((entry) => ({
      startNs: startNs(entry),
      durationNs: Math.round(entry.duration * NS_PER_MS),
    }))
  }
  const marks = own.filter(({ entryType }) => entryType === 'mark')
  return marks.slice(0, -1).map((entry, i) => ({
    startNs: startNs(entry),
    durationNs: startNs(marks[i + 1]!) - startNs(entry),
  }))
}

export const timeline: ImportFormat = {
  name: 'timeline',
  begins: 'Performance Timeline entries',
  isIt({ json }) {
    if (json === null) return 'no'
    if (json.startsWith('[')) return 'surely'
    return /"(entries|timeOrigin)"/.test(json) ? 'maybe' : 'no'
  },
  source: (options) => new TimelineSource(options),
}
