/** W3C Performance Timeline entries as JSON, the way `performance.getEntries()` gives them. */
import {
  BYTES_UNKNOWN,
  EFFECT_UNSAID,
  FORMAT_VERSION,
  FormatError,
  LIMITS,
  type Moment,
} from '../format/index.ts'
import { Assembler, type LooseFrame } from './assemble.ts'
import { Skipped, type ImportFormat, type OnRecord } from './import-format.ts'
import { LooseSpans } from './loose-spans.ts'
import { readEntries, type Entry } from './timeline-text.ts'
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
    const { entries, timeOrigin } = this.#read(bytes, frameMarker)
    const frames = entries.frames()
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
    const spans = entries.spans.between(originNs, Infinity)
    spans.countFrom(originNs)
    const moments = entries.moments
      .filter(({ atNs }) => atNs >= originNs)
      .map((moment) => ({ ...moment, atNs: moment.atNs - originNs }))
    const shifted = frames.map(({ startNs, durationNs }) => ({ startNs: startNs - originNs, durationNs }))
    for (const record of assembler.chunks(shifted, spans, moments)) onRecord(record, place)
    onRecord(assembler.end(), place)
  }

  /** The entries that can be used; an array, or an object that has it beside the time origin. */
  #read(bytes: Uint8Array, frameMarker: string): { entries: Entries; timeOrigin: number } {
    let entries = new Entries(frameMarker)
    let told = readEntries(bytes, (raw) => entries.add(raw))
    if (told === null) {
      const value = parseJson(bytes)
      const holder = (Array.isArray(value) ? { entries: value } : value) as {
        entries?: unknown
        timeOrigin?: unknown
      } | null
      if (!Array.isArray(holder?.entries)) {
        throw new FormatError('not-a-take', 'neither an array of entries nor an object with "entries"')
      }
      entries = new Entries(frameMarker)
      for (const raw of holder.entries) entries.add(raw)
      told = holder
    }
    this.skipped.addAll(entries.skipped)
    if (entries.count === 0) {
      throw new FormatError('not-a-take', this.skipped.named[0] ?? 'there is no entry in it')
    }
    return { entries, timeOrigin: this.#timeOrigin(told.timeOrigin) }
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

/** What entries say, times in ns on their own clock. */
class Entries {
  readonly spans = new LooseSpans()
  readonly moments: Moment[] = []
  readonly skipped = new Skipped()
  /** Of those that can be used. */
  count = 0
  readonly #frameMarker: string
  readonly #frames: LooseFrame[] = []
  readonly #frameMarks: number[] = []
  #index = 0

  constructor(frameMarker: string) {
    this.#frameMarker = frameMarker
  }

  add(raw: unknown): void {
    const wrong = whatIsWrong(raw)
    if (wrong === null) this.#addGood(raw as Entry)
    else if (wrong !== '') this.skipped.add(`entry ${this.#index}: ${wrong}`)
    this.#index++
  }

  #addGood({ name, entryType, startTime, duration }: Entry): void {
    this.count++
    const startNs = Math.round(startTime * NS_PER_MS)
    const durationNs = Math.round(duration * NS_PER_MS)
    const short = name.slice(0, LIMITS.nameLength)
    const [isMark, isMeasure] = [entryType === 'mark', entryType === 'measure']
    if (short === this.#frameMarker) {
      if (isMeasure) this.#frames.push({ startNs, durationNs })
      else if (isMark) this.#frameMarks.push(startNs)
    } else if (isMark) this.moments.push({ name: short, atNs: startNs, data: null })
    else
      this.spans.add({
        lane: isMeasure ? MAIN_LANE : BROWSER_LANE,
        name: isMeasure ? short : entryType,
        group: isMeasure ? '' : BROWSER_LANE,
        kind: 'work',
        startNs,
        durationNs,
        effect: EFFECT_UNSAID,
        bytes: BYTES_UNKNOWN,
      })
  }

  /** Measures with the frames' name, in order; or else marks of that name begin them. */
  frames(): LooseFrame[] {
    if (this.#frames.length > 0) return this.#frames.sort((a, b) => a.startNs - b.startNs)
    const marks = this.#frameMarks.sort((a, b) => a - b)
    return marks.slice(0, -1).map((startNs, i) => ({ startNs, durationNs: marks[i + 1]! - startNs }))
  }
}

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
