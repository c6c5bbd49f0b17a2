import type { Probe } from '@lapsus/probe'
import { PLACES, routesAtOnce } from '../routes.ts'
import type { World } from '../world.ts'

/** A gate shuts this often, from this step on. */
const EVERY_STEPS = 400
const FIRST_STEP = 180
/** News of a gate reaches the moths after this many steps. */
const NEWS_STEPS = 45

const atOnce = routesAtOnce()

export const checkGatesMarkers = (probe: Probe) => ({
  'gates.check': probe.marker('gates.check', { group: 'couriers' }),
  'routes.replan': probe.marker('routes.replan', { group: 'couriers' }),
})

/** When a gate shuts, the way of every moth with a letter is planned anew. */
export function checkGates(world: World): void {
  const { probe, markers, step } = world
  probe.enter(markers['gates.check'])
  if (step >= FIRST_STEP && (step - FIRST_STEP) % EVERY_STEPS === 0) {
    probe.moment('gate-shut', { gate: 1 + ((step / EVERY_STEPS) | 0) })
    const planner = world.settings.flaws.has('route-burst') ? atOnce : world.routes
    shutGate(world)
    const batch = newBatch(world)
    // Whoever begins it ends it, though the flaw may be switched meanwhile.
    world.replanning = { batch, planner }
    probe.enter(markers['routes.replan'])
    planner.begin(world, batch)
    probe.leave()
  } else if (world.replanning !== null) {
    const { batch, planner } = world.replanning
    probe.enter(markers['routes.replan'])
    if (step < batch.dueStep) planner.go(world, batch)
    else {
      planner.join(world, batch)
      batch.moths.forEach((moth, i) => (world.moths[moth]!.routeCost = batch.cost[i]!))
      world.replanning = null
    }
    probe.leave()
  }
  probe.leave()
}

/** A row of crossings becomes dear, another cheap again. */
function shutGate(world: World): void {
  const { streets } = world.town
  const shut = Math.floor(world.random() * streets.length)
  for (let i = 0; i < 8; i++) streets[(shut + i) % streets.length] = 9
  for (let i = 0; i < 8; i++) streets[(shut * 7 + i) % streets.length] = 1
}

function newBatch({ moths, step }: World) {
  const carriers = moths.filter((moth) => moth.target !== null)
  const places = new Float32Array(carriers.length * PLACES)
  carriers.forEach(({ x, y, target }, i) => places.set([x, y, target!.x, target!.y], i * PLACES))
  return {
    moths: carriers.map(({ id }) => id),
    places,
    cost: new Float32Array(carriers.length),
    dueStep: step + NEWS_STEPS,
    done: 0,
    jobs: [],
  }
}
