/** Keeps what was asked for lately, up to a number of things. */
export class RecentlyUsed<T> {
  readonly #most: number
  readonly #kept = new Map<string, T>()

  constructor(most: number) {
    this.#most = most
  }

  /** What is kept under the key, or what `make` gives, which is kept; what is promised, unless it fails. */
  get(key: string, make: () => T): T {
    const known = this.#kept.get(key)
    this.#kept.delete(key)
    const value = known ?? make()
    this.#kept.set(key, value)
    if (known === undefined) {
      if (value instanceof Promise) value.catch(() => this.#kept.get(key) === value && this.forget(key))
      if (this.#kept.size > this.#most) this.#kept.delete(this.#kept.keys().next().value!)
    }
    return value
  }

  forget(key: string): void {
    this.#kept.delete(key)
  }
}
