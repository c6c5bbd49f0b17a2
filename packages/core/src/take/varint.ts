/** Variable-length whole numbers: 7 bits a byte, lowest first, the top bit set on all but the last. */

const MOST_BYTES = 8
const LEAST_BYTES = 1024

/** Puts a whole number from 0 to 2^53 − 1 at `at`, where there is room for it; returns the place after it. */
export function putVarint(bytes: Uint8Array, at: number, value: number): number {
  let next = at
  let rest = value
  while (rest > 0x7fff_ffff) {
    bytes[next++] = (rest % 128) | 0x80
    rest = Math.floor(rest / 128)
  }
  while (rest > 0x7f) {
    bytes[next++] = (rest & 0x7f) | 0x80
    rest >>>= 7
  }
  bytes[next++] = rest
  return next
}

/** Appends numbers to a buffer that grows. */
export class VarintWriter {
  #bytes: Uint8Array
  #length = 0

  /** @param bytes about how many there will be */
  constructor(bytes = 0) {
    this.#bytes = new Uint8Array(Math.max(LEAST_BYTES, bytes + MOST_BYTES))
  }

  /** A whole number from 0 to 2^53 − 1. */
  write(value: number): void {
    if (this.#length + MOST_BYTES > this.#bytes.length) this.#grow()
    this.#length = putVarint(this.#bytes, this.#length, value)
  }

  /** For loops that put numbers by themselves: the bytes, with room for so many; `moveTo` says up to where they came. */
  room(numbers: number): Uint8Array {
    while (this.#length + MOST_BYTES * numbers > this.#bytes.length) this.#grow()
    return this.#bytes
  }

  moveTo(length: number): void {
    this.#length = length
  }

  /** A whole number of either sign. */
  writeSigned(value: number): void {
    this.write(zigzag(value))
  }

  get length(): number {
    return this.#length
  }

  bytes(): Uint8Array {
    return this.#bytes.subarray(0, this.#length)
  }

  #grow(): void {
    const larger = new Uint8Array(this.#bytes.length * 2)
    larger.set(this.#bytes)
    this.#bytes = larger
  }
}

/** Reads what a VarintWriter wrote. Reading past the end gives an error, not a wrong number. */
export class VarintReader {
  readonly #bytes: Uint8Array
  #at = 0

  constructor(bytes: Uint8Array) {
    this.#bytes = bytes
  }

  /** Bytes in all. */
  get length(): number {
    return this.#bytes.length
  }

  /** Bytes read so far. */
  get position(): number {
    return this.#at
  }

  read(): number {
    const bytes = this.#bytes
    let byte = bytes[this.#at++]
    if (byte === undefined) throw new RangeError('packed column ends too early')
    if (byte < 0x80) return byte
    let value = byte & 0x7f
    let scale = 128
    do {
      byte = bytes[this.#at++]
      if (byte === undefined) throw new RangeError('packed column ends too early')
      value += (byte & 0x7f) * scale
      scale *= 128
    } while (byte >= 0x80)
    return value
  }

  readByte(): number {
    const byte = this.#bytes[this.#at++]
    if (byte === undefined) throw new RangeError('packed column ends too early')
    return byte
  }

  skipBytes(count: number): void {
    this.#at += count
  }

  /** Passes over `count` numbers. */
  skip(count: number): void {
    const bytes = this.#bytes
    let at = this.#at
    for (let left = count; left > 0; at++) {
      if (at >= bytes.length) throw new RangeError('packed column ends too early')
      if (bytes[at]! < 0x80) left--
    }
    this.#at = at
  }

  readSigned(): number {
    return unzigzag(this.read())
  }
}

/** A whole number of either sign as one that is not negative, small ones small: 0, −1, 1, −2 as 0, 1, 2, 3. */
export const zigzag = (value: number): number => (value < 0 ? -2 * value - 1 : 2 * value)
export const unzigzag = (value: number): number => (value % 2 === 1 ? -(value + 1) / 2 : value / 2)
