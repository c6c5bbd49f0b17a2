/** Bytes that come in pieces, until they are taken as a whole. */
export class Pieces {
  #pieces: Uint8Array[] = []
  #bytes = 0
  /** Where they are put together, used again: memory that has been written to before is several times as quick. */
  #room = new Uint8Array(0)

  /** How many have come since they were last taken. */
  get bytes(): number {
    return this.#bytes
  }

  /** @param piece left as it is until they are taken */
  add(piece: Uint8Array): void {
    if (piece.length === 0) return
    this.#pieces.push(piece)
    this.#bytes += piece.length
  }

  /** All of them, one after the other; good until they are taken again. */
  take(): Uint8Array {
    const pieces = this.#pieces
    const bytes = this.#bytes
    this.#pieces = []
    this.#bytes = 0
    if (pieces.length === 1) return pieces[0]!
    if (bytes > this.#room.length) this.#room = new Uint8Array(bytes)
    let at = 0
    for (const piece of pieces) {
      this.#room.set(piece, at)
      at += piece.length
    }
    return this.#room.subarray(0, bytes)
  }
}
