/** A few named columns of numbers that grow row by row. */
export class Columns<K extends string> {
  readonly #names: readonly K[]
  #rows: number[][] = []

  constructor(names: readonly K[]) {
    this.#names = names
  }

  get isEmpty(): boolean {
    return this.#rows.length === 0
  }

  /** @param row one number a column, in the order of their names */
  push(...row: number[]): void {
    this.#rows.push(row)
  }

  uint(name: K): Uint32Array {
    return Uint32Array.from(this.#values(name))
  }

  float(name: K): Float64Array {
    return Float64Array.from(this.#values(name))
  }

  clear(): void {
    this.#rows = []
  }

  #values(name: K): number[] {
    const at = this.#names.indexOf(name)
    return this.#rows.map((row) => row[at]!)
  }
}
