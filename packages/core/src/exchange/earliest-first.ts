/** Less than one in so many is few. */
const FEW = 16

/** Items by a time of theirs: the earliest comes out first, at a cost of log(items), however they went in. */
export class EarliestFirst<T> {
  readonly #timeOf: (item: T) => number
  /** A binary heap: no item is later than those at twice its place, plus one and plus two. */
  readonly #items: T[] = []

  constructor(timeOf: (item: T) => number) {
    this.#timeOf = timeOf
  }

  get size(): number {
    return this.#items.length
  }

  push(item: T): void {
    const items = this.#items
    let at = items.length
    items.push(item)
    while (at > 0) {
      const parent = (at - 1) >> 1
      if (this.#timeOf(items[parent]!) <= this.#timeOf(item)) break
      items[at] = items[parent]!
      at = parent
    }
    items[at] = item
  }

  /** Takes out everything up to `time`, itself included, in order. */
  takeUntil(time: number): T[] {
    const items = this.#items
    const isDue = (item: T) => this.#timeOf(item) <= time
    if (items.length === 0 || !isDue(items[0]!)) return []
    const due = items.filter(isDue)
    if (due.length < items.length / FEW) return due.map(() => this.pop()!)
    // Where many are due, sorting them costs less than taking them one by one; most come in order.
    const rest = items.filter((item) => !isDue(item))
    this.clear()
    for (const item of rest) this.push(item)
    return due.sort((a, b) => this.#timeOf(a) - this.#timeOf(b))
  }

  /** The earliest, taken out. */
  pop(): T | undefined {
    const items = this.#items
    const [first] = items
    const last = items.pop()
    if (items.length === 0 || last === undefined) return first
    let at = 0
    for (;;) {
      let child = 2 * at + 1
      if (child >= items.length) break
      if (child + 1 < items.length && this.#timeOf(items[child + 1]!) < this.#timeOf(items[child]!)) child++
      if (this.#timeOf(items[child]!) >= this.#timeOf(last)) break
      items[at] = items[child]!
      at = child
    }
    items[at] = last
    return first
  }

  clear(): void {
    this.#items.length = 0
  }
}
