import type { Probe } from '@lapsus/probe'
import { fingerprint } from './random.ts'
import { stepBelts } from './rooms/belts.ts'
import { drawBoard } from './rooms/board.ts'
import { dispatch } from './rooms/couriers.ts'
import { keepHouse } from './rooms/house.ts'
import { flicker } from './rooms/lanterns.ts'
import { arrive, deliver } from './rooms/mail.ts'
import { updateMoths } from './rooms/moths.ts'
import { checkShift } from './rooms/shift.ts'
import { sortLetters } from './rooms/sorting.ts'
import { updateTally } from './rooms/tally.ts'
import { applyWind, startWind } from './rooms/weather.ts'
import type { Settings } from './settings.ts'
import { windOnThisThread, type WindSource } from './wind.ts'
import { newWorld, type World } from './world.ts'

/** The whole game, one fixed step at a time. The same seed gives the same night, flaws or not. */
export class PostOffice {
  readonly world: World

  constructor(settings: Settings, probe: Probe, wind: WindSource = windOnThisThread()) {
    wind.start(1)
    this.world = newWorld(settings, probe, wind)
  }

  step(): void {
    const { world } = this
    const { probe, markers } = world
    probe.run(markers['input.read'], () => {})
    probe.enter(markers['sim.step'])
    applyWind(world)
    arrive(world)
    stepBelts(world)
    sortLetters(world)
    dispatch(world)
    updateMoths(world)
    deliver(world)
    flicker(world)
    startWind(world)
    probe.leave()
    updateTally(world)
    checkShift(world)
    keepHouse(world)
    drawBoard(world)
    probe.steps(1)
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
      ...world.binCounts,
      ...world.moths.flatMap((moth) => [moth.x * 1000, moth.y * 1000, moth.carrying?.id ?? -1]),
    ])
  }
}
