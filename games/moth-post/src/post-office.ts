import type { Probe } from '@lapsus/probe'
import { fingerprint } from './random.ts'
import { lookThroughDead } from './rooms/dead-letters.ts'
import { stepBelts } from './rooms/belts.ts'
import { drawBoard } from './rooms/board.ts'
import { dispatch } from './rooms/couriers.ts'
import { checkGates } from './rooms/gates.ts'
import { keepHouse } from './rooms/house.ts'
import { flicker } from './rooms/lanterns.ts'
import { arrive, deliver } from './rooms/mail.ts'
import { turnGears } from './rooms/mechanics.ts'
import { updateMoths } from './rooms/moths.ts'
import { checkShift } from './rooms/night-shift.ts'
import { sortLetters } from './rooms/sorting.ts'
import { updateTally } from './rooms/tally.ts'
import { applyWind, startWind } from './rooms/weather.ts'
import { beatWings } from './rooms/beat-wings.ts'
import { STEP_S, type Settings } from './settings.ts'
import { windOnThisThread } from './wind.ts'
import { wingSum } from './wings.ts'
import { newWorld, onThisThread, type Helpers, type World } from './world.ts'

/** The whole game, one fixed step at a time. The same seed gives the same night, flaws or not. */
export class PostOffice {
  readonly world: World

  constructor(settings: Settings, probe: Probe, helpers: Helpers = onThisThread(windOnThisThread())) {
    helpers.wind.start(1, 0)
    this.world = newWorld(settings, probe, helpers)
  }

  /** @param elapsedMs real time since the last step; changes what the gears cost, not what the night brings */
  step(elapsedMs = STEP_S * 1000): void {
    const { world } = this
    const { probe, markers } = world
    probe.run(markers['input.read'], () => {})
    probe.enter(markers['sim.step'])
    applyWind(world)
    arrive(world)
    stepBelts(world)
    const gearSteps = turnGears(world, elapsedMs)
    sortLetters(world)
    lookThroughDead(world)
    dispatch(world)
    checkGates(world)
    updateMoths(world)
    beatWings(world)
    deliver(world)
    flicker(world)
    startWind(world)
    probe.leave()
    updateTally(world)
    checkShift(world)
    keepHouse(world)
    drawBoard(world)
    probe.steps(gearSteps)
    world.step++
  }

  /** Tells two nights apart: the same for the same outcome. */
  fingerprint(): string {
    const { world } = this
    return fingerprint([
      world.delivered,
      world.discrepancies,
      world.shift,
      world.audit,
      world.deadAccount,
      world.beltCrowding,
      wingSum(world.wings, world.settings.flaws.has('moth-objects')) * 1e6,
      ...world.binCounts,
      ...world.moths.flatMap((moth) => [
        moth.x * 1000,
        moth.y * 1000,
        moth.carrying?.id ?? -1,
        moth.routeCost,
      ]),
    ])
  }
}
