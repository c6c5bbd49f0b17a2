/** What reads a take from bytes in any of the formats we know. */
import type { AnyRecord, FormatErrorPlace } from '../format/index.ts'

export type OnRecord = (record: AnyRecord, place: FormatErrorPlace) => void

export interface SourceOptions {
  /** Name of the spans that are frames, where nothing else says so. */
  frameMarker?: string | undefined
  /** What foreign files do not say about themselves. */
  take: string
  game: string
}

/** The first bytes of a file, as a format is told by. */
export interface FileStart {
  bytes: Uint8Array
  /** As text, without white space before it, where it may be JSON; null where it is not. */
  json: string | null
}

/** A format that takes can be read from: everything about it in one file, and that file in the list of open.ts. */
export interface ImportFormat {
  name: string
  /** How a file of it begins, in words: what is expected where nothing fits. */
  begins: string
  /** Whether a file begins like one; `maybe` where another format that is sure of itself goes first. */
  isIt(start: FileStart): 'surely' | 'maybe' | 'no'
  source(options: SourceOptions): TakeSource
}

/** Takes bytes piece by piece and gives records, the take's own first, numbered without gaps. */
export interface TakeSource {
  /** The name of its format. */
  readonly format: string
  /**
   * Whether what is wrong is passed over, named and counted, rather than ending the take. What the
   * records' user finds wrong with one is then to be passed over as well.
   */
  readonly lenient: boolean
  /** Whether the take came to its proper end. */
  readonly ended: boolean
  readonly skipped: Skipped
  /**
   * @param piece the source's own from then on
   * @throws FormatError with its place
   */
  push(piece: Uint8Array, onRecord: OnRecord): void
  /** Says that there is no more. @throws FormatError when there was no take in it */
  finish(onRecord: OnRecord): void
  /** Where the next record will start. */
  readonly place: FormatErrorPlace
  /** Bytes of a record that has begun but is not whole. */
  readonly pendingBytes: number
}

/** Passed over things that are told by name; the rest are counted. */
const MOST_NAMED = 20

/** What was wrong and passed over. */
export class Skipped {
  readonly named: string[] = []
  count = 0

  add(what: string): void {
    this.count++
    if (this.named.length < MOST_NAMED) this.named.push(what)
  }

  addAll({ named, count }: Skipped): void {
    this.named.push(...named.slice(0, MOST_NAMED - this.named.length))
    this.count += count
  }

  /** In one sentence; null when nothing was passed over. */
  get summary(): string | null {
    if (this.count === 0) return null
    const more = this.count > this.named.length ? `; and ${this.count - this.named.length} more` : ''
    return `${this.count} ${this.count === 1 ? 'entry was' : 'entries were'} passed over: ${this.named.join('; ')}${more}`
  }
}
