import { STREETS, TOWN } from './town.ts'

const CROSSINGS = STREETS * STREETS

/** Scratch of the search, used again each time. */
const cost = new Float32Array(CROSSINGS)
const done = new Uint8Array(CROSSINGS)
const open: number[] = []

const crossingAt = (x: number, y: number): number => {
  const column = Math.min(STREETS - 1, Math.max(0, Math.floor((x / TOWN) * STREETS)))
  const row = Math.min(STREETS - 1, Math.max(0, Math.floor((y / TOWN) * STREETS)))
  return row * STREETS + column
}

/** Cheapest cost along the streets between two places (Dijkstra over the crossings, stopped at the goal). */
export function walkCost(
  streets: Float32Array,
  fromX: number,
  fromY: number,
  toX: number,
  toY: number,
): number {
  const start = crossingAt(fromX, fromY)
  const goal = crossingAt(toX, toY)
  cost.fill(Infinity)
  done.fill(0)
  open.length = 0
  cost[start] = 0
  open.push(start)
  while (open.length > 0) {
    const at = takeCheapest()
    if (at === goal) return cost[goal]!
    if (done[at]) continue
    done[at] = 1
    const column = at % STREETS
    if (column > 0) relax(streets, at, at - 1)
    if (column < STREETS - 1) relax(streets, at, at + 1)
    if (at >= STREETS) relax(streets, at, at - STREETS)
    if (at < CROSSINGS - STREETS) relax(streets, at, at + STREETS)
  }
  return Infinity
}

function relax(streets: Float32Array, from: number, to: number): void {
  const through = cost[from]! + streets[to]!
  if (through >= cost[to]!) return
  cost[to] = through
  open.push(to)
  siftUp(open.length - 1)
}

function siftUp(at: number): void {
  while (at > 0) {
    const parent = (at - 1) >> 1
    if (cost[open[parent]!]! <= cost[open[at]!]!) return
    swap(at, parent)
    at = parent
  }
}

function takeCheapest(): number {
  const cheapest = open[0]!
  const last = open.pop()!
  if (open.length > 0) {
    open[0] = last
    siftDown(0)
  }
  return cheapest
}

function siftDown(at: number): void {
  for (;;) {
    let smallest = at
    for (const child of [2 * at + 1, 2 * at + 2]) {
      if (child < open.length && cost[open[child]!]! < cost[open[smallest]!]!) smallest = child
    }
    if (smallest === at) return
    swap(at, smallest)
    at = smallest
  }
}

function swap(a: number, b: number): void {
  const kept = open[a]!
  open[a] = open[b]!
  open[b] = kept
}
