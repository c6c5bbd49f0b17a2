/** Routes that are planned anew when a gate shuts: at once, a few a frame, or as jobs on worker threads. */
import type { JobId } from '@lapsus/probe'
import { roundCost } from './streets.ts'
import type { World } from './world.ts'

/** Ways to be planned; `cost` is filled in. Places are x, y of the start and x, y of the goal. */
export interface RouteBatch {
  moths: number[]
  places: Float32Array
  cost: Float32Array
  /** The step from which the new routes count, planned or not. */
  dueStep: number
  done: number
  jobs: JobId[]
}

export interface RoutePlanner {
  /** Takes a batch, in the frame in which the gate shuts. */
  begin(world: World, batch: RouteBatch): void
  /** In each later frame. */
  go(world: World, batch: RouteBatch): void
  /** Before the batch counts: it must be done after this. */
  join(world: World, batch: RouteBatch): void
  stop(): void
}

export const PLACES = 4
const SLICE = 2

export function planRoute(world: World, batch: RouteBatch, at: number): void {
  const { probe, markers, town } = world
  const [fromX, fromY, toX, toY] = batch.places.subarray(at * PLACES, (at + 1) * PLACES)
  probe.enter(markers['path.search'])
  batch.cost[at] = roundCost(town.streets, fromX!, fromY!, toX!, toY!)
  probe.leave()
}

function planSome(world: World, batch: RouteBatch, most: number): void {
  const end = Math.min(batch.moths.length, batch.done + most)
  while (batch.done < end) planRoute(world, batch, batch.done++)
}

/** All in the frame of the gate: the costly way. */
export const routesAtOnce = (): RoutePlanner => ({
  begin: (world, batch) => planSome(world, batch, Infinity),
  go: () => {},
  join: () => {},
  stop: () => {},
})

/** A few in each frame. */
export const routesInSlices = (): RoutePlanner => ({
  begin: (world, batch) => planSome(world, batch, SLICE),
  go: (world, batch) => planSome(world, batch, SLICE),
  join: (world, batch) => planSome(world, batch, Infinity),
  stop: () => {},
})
