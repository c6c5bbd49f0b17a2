import { LIMITS, type ProblemCount } from '@lapsus/core/format'

/** Kinds of wrong calls that are told apart between two records. */
const MOST_KINDS = LIMITS.problems - 1
const OTHER = 'other calls were wrong'

/** What the game called wrongly, by kind: repaired or left out, counted, and told with the take. */
export class Problems {
  #counts = new Map<string, ProblemCount>()

  /**
   * @param what reads on from a count, such as `values were not numbers`
   * @param about what it was said of, such as `gauge fish`
   */
  note(what: string, about = '', count = 1): void {
    const key = `${what}\n${about}`
    const known = this.#counts.get(key)
    if (known !== undefined) known.count += count
    else if (this.#counts.size < MOST_KINDS)
      this.#counts.set(key, { what, about: about.slice(0, LIMITS.nameLength), count })
    else if (what !== OTHER) this.#noteOther(count)
  }

  /** Everything noted since the last call. */
  take(): ProblemCount[] {
    if (this.#counts.size === 0) return []
    const taken = [...this.#counts.values()]
    this.#counts = new Map()
    return taken
  }

  #noteOther(count: number): void {
    const other = this.#counts.get(OTHER)
    if (other !== undefined) other.count += count
    else this.#counts.set(OTHER, { what: OTHER, about: '', count })
  }
}
