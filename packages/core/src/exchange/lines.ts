import { FormatError, LIMITS } from '../format/index.ts'

const NEWLINE = 0x0a

/** Splits bytes that arrive in pieces into lines of text. */
export class LineSplitter {
  #pending: Uint8Array[] = []
  #pendingBytes = 0
  readonly #decoder = new TextDecoder('utf-8', { ignoreBOM: false })
  /** Number of the line to come, from 1. */
  line = 1
  /** Where it starts, bytes. */
  offset = 0

  get pendingBytes(): number {
    return this.#pendingBytes
  }

  /** @throws FormatError `too-large` for a line beyond the limit of a record */
  push(piece: Uint8Array, onLine: (text: string) => void): void {
    let from = 0
    for (let end = piece.indexOf(NEWLINE); end >= 0; end = piece.indexOf(NEWLINE, from)) {
      this.#keep(piece.subarray(from, end))
      this.#flush(onLine, 1)
      from = end + 1
    }
    this.#keep(piece.subarray(from))
  }

  finish(onLine: (text: string) => void): void {
    if (this.#pendingBytes > 0) this.#flush(onLine, 0)
  }

  #keep(bytes: Uint8Array): void {
    if (bytes.length === 0) return
    if (this.#pendingBytes + bytes.length > LIMITS.recordBytes) {
      throw new FormatError('too-large', `line ${this.line} has more than ${LIMITS.recordBytes} bytes`)
    }
    this.#pending.push(bytes.slice())
    this.#pendingBytes += bytes.length
  }

  #flush(onLine: (text: string) => void, newline: number): void {
    const whole = new Uint8Array(this.#pendingBytes)
    let at = 0
    for (const part of this.#pending) {
      whole.set(part, at)
      at += part.length
    }
    this.#pending = []
    this.#pendingBytes = 0
    onLine(this.#decoder.decode(whole))
    this.line++
    this.offset += whole.length + newline
  }
}
