import { STREETS, TOWN } from './town.ts'

const CROSSINGS = STREETS * STREETS

/** Places of the gates. */
const GATES = [
  [TOWN / 2, 0],
  [TOWN, TOWN / 2],
  [TOWN / 2, TOWN],
  [0, TOWN / 2],
] as const

/** Scratch of the search, used again each time. */
const cost = new Float32Array(CROSSINGS)
const done = new Uint8Array(CROSSINGS)
/** Crossings to go on from, cheapest first (a heap), and how many there are. */
const open = new Int32Array(CROSSINGS * 4)
let opened = 0

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
  cost[start] = 0
  open[0] = start
  opened = 1
  while (opened > 0) {
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

/** Cost of a whole round: by each gate of the town there, and back. */
export function roundCost(
  streets: Float32Array,
  fromX: number,
  fromY: number,
  toX: number,
  toY: number,
): number {
  let cost = 0
  for (const [gateX, gateY] of GATES) {
    cost += walkCost(streets, fromX, fromY, gateX, gateY) + walkCost(streets, gateX, gateY, toX, toY)
  }
  return cost
}

function relax(streets: Float32Array, from: number, to: number): void {
  const through = cost[from]! + streets[to]!
  if (through >= cost[to]!) return
  cost[to] = through
  open[opened] = to
  siftUp(opened++)
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
  const last = open[--opened]!
  if (opened > 0) {
    open[0] = last
    siftDown(0)
  }
  return cheapest
}

function siftDown(at: number): void {
  for (;;) {
    let smallest = at
    for (let child = 2 * at + 1; child <= 2 * at + 2; child++) {
      if (child < opened && cost[open[child]!]! < cost[open[smallest]!]!) smallest = child
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
