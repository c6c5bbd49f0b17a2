/** A time of the first take as a time of the composite, by knots between which it runs evenly. */
import { lowerBound } from '../stats/index.ts'

export class TimeMap {
  readonly #old: number[] = []
  readonly #now: number[] = []
  #marked = 0

  /** Where the last piece ended, on both clocks. */
  get oldAt(): number {
    return this.#old.at(-1) ?? 0
  }
  get nowAt(): number {
    return this.#now.at(-1) ?? 0
  }

  /** Goes on to a later time of the first take. @param factor new time for each of the old */
  advance(to: number, factor: number): void {
    const { oldAt, nowAt } = this
    if (this.#old.length > 0 && to <= oldAt) return
    this.#old.push(to)
    this.#now.push(nowAt + (to - oldAt) * factor)
  }

  /** Goes on to a time of both. @param now not before where the last piece ended */
  jump(to: number, now: number): void {
    if (this.#old.length > 0 && to <= this.oldAt) return
    this.#old.push(to)
    this.#now.push(Math.max(now, this.nowAt))
  }

  /** Beyond the knots time goes on as it was. */
  at(old: number): number {
    if (this.#old.length === 0) return old
    const next = lowerBound(this.#old, old)
    if (next === 0) return this.#now[0]! - (this.#old[0]! - old)
    if (next === this.#old.length) return this.nowAt + (old - this.oldAt)
    const [from, to] = [this.#old[next - 1]!, this.#old[next]!]
    const [fromNow, toNow] = [this.#now[next - 1]!, this.#now[next]!]
    return fromNow + ((old - from) / (to - from)) * (toNow - fromNow)
  }

  /** Forgets the knots before the last time that this was called: what is mapped lies in this chunk or the one before. */
  forget(): void {
    const from = Math.max(0, this.#marked - 1)
    this.#old.splice(0, from)
    this.#now.splice(0, from)
    this.#marked = this.#old.length
  }
}
