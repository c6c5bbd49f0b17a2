/** Which span lies inside which, of those of one lane that come without nesting. */
import { LIMITS } from '../format/index.ts'
import type { LooseSpans } from './loose-spans.ts'

/** Spans in their places, by place; times may have been cut to fit. Columns may be longer than there are spans. */
export interface Laid {
  count: number
  /** Each in the table of spans. */
  row: Uint32Array
  startNs: Float64Array
  endNs: Float64Array
  depth: Uint8Array
}

const noneLaid = (most: number): Laid => ({
  count: 0,
  row: new Uint32Array(most),
  startNs: new Float64Array(most),
  endNs: new Float64Array(most),
  depth: new Uint8Array(most),
})

/** By time alone. One that outlasts what it began in is cut there. @param rows by start, those that last longer first */
export function nestByTime(spans: LooseSpans, rows: Uint32Array): Laid {
  const laid = noneLaid(rows.length)
  const openEnds: number[] = []
  for (let i = 0; i < rows.length; i++) {
    const row = rows[i]!
    const startNs = spans.startNs[row]!
    while (openEnds.length > 0 && openEnds.at(-1)! <= startNs) openEnds.pop()
    laid.row[i] = row
    laid.startNs[i] = startNs
    laid.endNs[i] = Math.min(startNs + spans.durationNs[row]!, openEnds.at(-1) ?? Infinity)
    laid.depth[i] = Math.min(openEnds.length, LIMITS.spanDepth)
    if (openEnds.length <= LIMITS.spanDepth) openEnds.push(laid.endNs[i]!)
  }
  laid.count = rows.length
  return laid
}

/** As the spans' parents say; brothers that overlap, and children that outlast, are cut. @param rows by start */
export function nestByParent(spans: LooseSpans, rows: Uint32Array): Laid {
  const family = familyOf(spans, rows)
  const laid = noneLaid(rows.length)
  /** Of each span that is open: its next child, and what that must keep within. The first is around all. */
  const next = [family.firstChild[rows.length]!]
  const fromNs = [0]
  const untilNs = [Infinity]
  let depth = 0
  while (depth >= 0) {
    const at = next[depth]!
    if (at === NOBODY) {
      depth--
      continue
    }
    const row = rows[at]!
    const saidNs = spans.startNs[row]!
    const startNs = Math.min(Math.max(saidNs, fromNs[depth]!), untilNs[depth]!)
    const endNs = Math.min(Math.max(saidNs + spans.durationNs[row]!, startNs), untilNs[depth]!)
    next[depth] = family.nextBrother[at]!
    fromNs[depth] = endNs
    const place = laid.count++
    laid.row[place] = row
    laid.startNs[place] = startNs
    laid.endNs[place] = endNs
    laid.depth[place] = Math.min(depth, LIMITS.spanDepth)
    if (family.firstChild[at] === NOBODY) continue
    depth++
    next[depth] = family.firstChild[at]!
    fromNs[depth] = startNs
    untilNs[depth] = endNs
  }
  return laid
}

const NOBODY = -1

/** By index in the list of rows: the first child of each, and of nobody at the end; and the next of its parent's children. */
interface Family {
  firstChild: Int32Array
  nextBrother: Int32Array
}

function familyOf(spans: LooseSpans, rows: Uint32Array): Family {
  const nobody = rows.length
  const firstChild = new Int32Array(nobody + 1).fill(NOBODY)
  const lastChild = new Int32Array(nobody + 1).fill(NOBODY)
  const nextBrother = new Int32Array(nobody).fill(NOBODY)
  const named = new Named(spans, rows)
  const startOf = (i: number) => spans.startNs[rows[i]!]!
  const endOf = (i: number) => startOf(i) + spans.durationNs[rows[i]!]!
  const unordered = new Set<number>()
  for (let i = 0; i < nobody; i++) {
    const parent = named.parentOf(i)
    const last = lastChild[parent]!
    if (last === NOBODY) firstChild[parent] = i
    else {
      nextBrother[last] = i
      if (startOf(last) === startOf(i) && endOf(last) > endOf(i)) unordered.add(parent)
    }
    lastChild[parent] = i
  }
  // On a clock of whole ms many begin together: what ended first came first.
  for (const parent of unordered) {
    const brothers: number[] = []
    for (let i = firstChild[parent]!; i !== NOBODY; i = nextBrother[i]!) brothers.push(i)
    brothers.sort((a, b) => startOf(a) - startOf(b) || endOf(a) - endOf(b))
    firstChild[parent] = brothers[0]!
    brothers.forEach((one, i) => (nextBrother[one] = brothers[i + 1] ?? NOBODY))
  }
  return { firstChild, nextBrother }
}

const GOLDEN = 0x9e3779b1

/** Finds spans by their names: a table of indices in the list of rows, each in the first free place from its hash on. */
class Named {
  readonly #spans: LooseSpans
  readonly #rows: Uint32Array
  readonly #table: Int32Array
  readonly #shift: number

  constructor(spans: LooseSpans, rows: Uint32Array) {
    this.#spans = spans
    this.#rows = rows
    // At most half of it is taken.
    const bits = 32 - Math.clz32(2 * rows.length)
    this.#table = new Int32Array(2 ** bits).fill(NOBODY)
    this.#shift = 32 - bits
    for (let i = 0; i < rows.length; i++) {
      const [high, low] = [spans.idHigh[rows[i]!]!, spans.idLow[rows[i]!]!]
      if ((high | low) === 0) continue
      const place = this.#placeOf(high, low)
      // The first of several.
      if (this.#table[place] === NOBODY) this.#table[place] = i
    }
  }

  /** Index of the span that the one at an index ran in; beyond the last where that is none of these, as on another lane. */
  parentOf(index: number): number {
    const { idHigh, idLow, parentHigh, parentLow } = this.#spans
    const row = this.#rows[index]!
    const [high, low] = [parentHigh[row]!, parentLow[row]!]
    const isItself = high === idHigh[row] && low === idLow[row]
    if (isItself || (high | low) === 0) return this.#rows.length
    const found = this.#table[this.#placeOf(high, low)]!
    return found === NOBODY ? this.#rows.length : found
  }

  /** Where a name is, or would be. */
  #placeOf(high: number, low: number): number {
    const { idHigh, idLow } = this.#spans
    const mask = this.#table.length - 1
    let place = Math.imul(high ^ Math.imul(low, GOLDEN), GOLDEN) >>> this.#shift
    for (; ; place = (place + 1) & mask) {
      const index = this.#table[place]!
      if (index === NOBODY) return place
      const row = this.#rows[index]!
      if (idHigh[row] === high && idLow[row] === low) return place
    }
  }
}
