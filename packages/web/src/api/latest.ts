/** Only the latest of what is asked counts: what was asked before is broken off, and its answer dropped. */
export class Latest {
  #abort = new AbortController()

  /**
   * @returns the answer; null where another was asked, or it was broken off, meanwhile
   * @throws what `fetch` throws, unless it was broken off
   */
  async ask<T>(fetch: (signal: AbortSignal) => Promise<T>): Promise<T | null> {
    this.cancel()
    const { signal } = (this.#abort = new AbortController())
    try {
      const answer = await fetch(signal)
      return signal.aborted ? null : answer
    } catch (error) {
      if (signal.aborted) return null
      throw error
    }
  }

  cancel(): void {
    this.#abort.abort()
  }
}

/** Answers that were asked for lately; those that failed are asked for again. */
export class Remembered<T> {
  readonly #known = new Map<string, Promise<T>>()

  /** @param most of them are kept */
  constructor(private readonly most: number) {}

  get(key: string, fetch: () => Promise<T>): Promise<T> {
    const answer = this.#known.get(key) ?? fetch()
    answer.catch(() => this.#known.delete(key))
    // The last in the map is the latest.
    this.#known.delete(key)
    this.#known.set(key, answer)
    if (this.#known.size > this.most) this.#known.delete(this.#known.keys().next().value!)
    return answer
  }
}
