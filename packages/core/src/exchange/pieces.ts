/** Bytes that come in pieces, until they are taken as a whole. */

const FIRST_BYTES = 65_536

export class Pieces {
  /** Used again for what comes after: memory that has been written to before is several times as quick. */
  #room = new Uint8Array(FIRST_BYTES)
  #bytes = 0

  /** How many have come since they were last taken. */
  get bytes(): number {
    return this.#bytes
  }

  add(piece: Uint8Array): void {
    const needed = this.#bytes + piece.length
    if (needed > this.#room.length) {
      const larger = new Uint8Array(Math.max(needed, 2 * this.#room.length))
      larger.set(this.#room.subarray(0, this.#bytes))
      this.#room = larger
    }
    this.#room.set(piece, this.#bytes)
    this.#bytes = needed
  }

  /** All of them, one after the other; good until the next one is added. */
  take(): Uint8Array {
    const whole = this.#room.subarray(0, this.#bytes)
    this.#bytes = 0
    return whole
  }
}
