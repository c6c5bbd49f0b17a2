import type { GaugeId, Probe } from '@lapsus/probe'
import { churningSource, poolingSource, type Letter, type LetterSource } from './letter.ts'
import { declareMarkers, type Markers } from './markers.ts'
import { randomFrom, type Random } from './random.ts'
import { FIRST_BELL_S, STEP_S, type Settings } from './settings.ts'
import { buildTown, TOWN, type Lantern, type Town } from './town.ts'
import type { WindSource } from './wind.ts'

export const BELTS = 8
export const BINS = 16

export interface Moth {
  id: number
  name: string
  x: number
  y: number
  vx: number
  vy: number
  /** What it carries, and where to; null while it is free. */
  carrying: Letter | null
  target: Lantern | null
  /** Frames until it looks for a lantern to rest at. */
  restless: number
}

/** One line of the shift's book: who carried what. */
export interface BookEntry {
  letter: number
  carrier: string
  address: string
  seal: number
}

/** Everything the rooms of the post office work on. */
export interface World {
  settings: Settings
  probe: Probe
  markers: Markers
  gauges: { letters: GaugeId; carried: GaugeId }
  random: Random
  town: Town
  source: LetterSource
  wind: WindSource
  windField: Float32Array

  step: number
  nextBellStep: number
  shift: number
  lettersMade: number
  /** Fractions of letters that are still to arrive. */
  arriving: number
  belts: Letter[][]
  stamped: Letter[]
  bins: Letter[][]
  moths: Moth[]
  book: BookEntry[]
  delivered: number
  binCounts: Int32Array
  /** What went wrong at the roll calls so far: should stay 0. */
  discrepancies: number
  tallyLines: string[]
  dust: Float32Array
  audit: number
  batches: number
}

export const POOL = 512

export function newWorld(settings: Settings, probe: Probe, wind: WindSource): World {
  const random = randomFrom(settings.seed)
  const town = buildTown(settings.lanterns, random)
  return {
    settings,
    probe,
    markers: declareMarkers(probe),
    gauges: { letters: probe.gaugeId('letters'), carried: probe.gaugeId('letters carried') },
    random,
    town,
    source: settings.flaws.has('letter-churn') ? churningSource() : poolingSource(POOL),
    wind,
    windField: wind.join(),
    step: 0,
    nextBellStep: Math.round(FIRST_BELL_S / STEP_S),
    shift: 0,
    lettersMade: 0,
    arriving: 0,
    belts: Array.from({ length: BELTS }, () => []),
    stamped: [],
    bins: Array.from({ length: BINS }, () => []),
    moths: Array.from({ length: settings.moths }, (_, id) => newMoth(id, random)),
    book: [],
    delivered: 0,
    binCounts: new Int32Array(BINS),
    discrepancies: 0,
    tallyLines: [],
    dust: new Float32Array(64 * 64),
    audit: 0,
    batches: 0,
  }
}

function newMoth(id: number, random: Random): Moth {
  const name = `${['Atlas', 'Luna', 'Vesta', 'Io', 'Hera', 'Silas', 'Polly', 'Ina'][id % 8]} the ${id}th of the night post`
  return {
    id,
    name,
    x: random() * TOWN,
    y: random() * TOWN,
    vx: 0,
    vy: 0,
    carrying: null,
    target: null,
    restless: id % 3,
  }
}

/** Letters that exist anywhere in the house or the air. */
export function lettersInHouse(world: World): number {
  let count = world.stamped.length
  for (const belt of world.belts) count += belt.length
  for (const bin of world.bins) count += bin.length
  for (const moth of world.moths) if (moth.carrying !== null) count++
  return count
}
