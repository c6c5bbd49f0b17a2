import { FormatError, LIMITS } from '../format/index.ts'
import { Pieces } from './pieces.ts'

const NEWLINE = 0x0a

/** Splits bytes that arrive in pieces into lines of text. Empty lines are counted, and passed over. */
export class LineSplitter {
  readonly #pending = new Pieces()
  readonly #decoder = new TextDecoder('utf-8', { ignoreBOM: false })
  /** Number of the line to come, from 1. */
  line = 1
  /** Where it starts, bytes. */
  offset = 0

  get pendingBytes(): number {
    return this.#pending.bytes
  }

  /** @throws FormatError `too-large` for a line beyond the limit of a record */
  push(piece: Uint8Array, onLine: (text: string) => void): void {
    let from = 0
    for (let end = piece.indexOf(NEWLINE); end >= 0; end = piece.indexOf(NEWLINE, from)) {
      if (end === from && this.#pending.bytes === 0) {
        this.line++
        this.offset++
      } else {
        this.#keep(piece.subarray(from, end))
        this.#flush(onLine, 1)
      }
      from = end + 1
    }
    this.#keep(piece.subarray(from))
  }

  finish(onLine: (text: string) => void): void {
    if (this.#pending.bytes > 0) this.#flush(onLine, 0)
  }

  #keep(bytes: Uint8Array): void {
    if (this.#pending.bytes + bytes.length > LIMITS.recordBytes) {
      throw new FormatError('too-large', `line ${this.line} has more than ${LIMITS.recordBytes} bytes`)
    }
    this.#pending.add(bytes)
  }

  #flush(onLine: (text: string) => void, newline: number): void {
    const whole = this.#pending.take()
    onLine(this.#decoder.decode(whole))
    this.line++
    this.offset += whole.length + newline
  }
}
