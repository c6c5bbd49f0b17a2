/** Bytes that come in pieces, until they are taken as a whole. */
export class Pieces {
  #pieces: Uint8Array[] = []
  #bytes = 0

  /** How many have come since they were last taken. */
  get bytes(): number {
    return this.#bytes
  }

  /** @param piece left as it is from then on */
  add(piece: Uint8Array): void {
    if (piece.length === 0) return
    this.#pieces.push(piece)
    this.#bytes += piece.length
  }

  /** All of them, one after the other. */
  take(): Uint8Array {
    const pieces = this.#pieces
    const whole = pieces.length === 1 ? pieces[0]! : new Uint8Array(this.#bytes)
    if (pieces.length > 1) {
      let at = 0
      for (const piece of pieces) {
        whole.set(piece, at)
        at += piece.length
      }
    }
    this.#pieces = []
    this.#bytes = 0
    return whole
  }
}
