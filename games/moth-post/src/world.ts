import type { JobId, Probe, Updater } from '@lapsus/probe'
import { churningSource, poolingSource, sealOf, type Letter, type LetterSource } from './letter.ts'
import {
  declareClasses,
  declareGauges,
  declareMarkers,
  type Classes,
  type Gauges,
  type Markers,
} from './markers.ts'
import { randomFrom, type Random } from './random.ts'
import { routesInSlices, type RouteBatch, type RoutePlanner } from './routes.ts'
import { BELTS, BINS, FIRST_BELL_S, STEP_S, type Settings } from './settings.ts'
import { buildTown, TOWN, type Lantern, type Town } from './town.ts'
import type { WindSource } from './wind.ts'
import { newWings, type Wings } from './wings.ts'

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
  /** Name of the target, by which it is looked up the costly way. */
  targetName: string
  /** It roosts until this step. */
  roostsUntil: number
  /** Cost of its way as of the last time the routes were planned. */
  routeCost: number
  updater: Updater
}

/** One line of the shift's book: who carried what. */
export interface BookEntry {
  letter: number
  carrier: string
  address: string
  seal: number
}

/** A letter nobody takes, and since when. */
export interface DeadLetter {
  letter: Letter
  sinceStep: number
}

/** The belts' gears, which run at a pace of their own whatever the frames do. */
export interface Mechanics {
  /** Real time that is not stepped yet, ms. */
  owedMs: number
  strain: Float64Array
}

/** Everything the rooms of the post office work on. */
export interface World {
  settings: Settings
  probe: Probe
  markers: Markers
  gauges: Gauges
  classes: Classes
  tallyWatch: number
  random: Random
  town: Town
  source: LetterSource
  wind: WindSource
  windField: Float32Array
  /** The job that blows the next wind; 0 before the first. */
  windJob: JobId
  routes: RoutePlanner
  /** Routes that are being planned anew; null while no gate has shut lately. */
  replanning: { batch: RouteBatch; planner: RoutePlanner } | null

  step: number
  nextBellStep: number
  shift: number
  lettersMade: number
  /** Fractions of letters that are still to arrive. */
  arriving: number
  belts: Letter[][]
  stamped: Letter[]
  beltCrowding: number
  bins: Letter[][]
  moths: Moth[]
  book: BookEntry[]
  delivered: number
  binCounts: Int32Array
  /** What went wrong at the roll calls so far: should stay 0. */
  discrepancies: number
  tallyLines: string[]
  tallyShown: string
  deadLetters: DeadLetter[]
  /** What was found out about dead letters, for the night's account. */
  deadAccount: number
  wings: Wings
  mechanics: Mechanics
  auditMark: number
  dust: Float32Array
  audit: number
  batches: number
}

export const POOL = 512
const OLD_ENTRIES = 1_800
const GEARS = 9_000

export interface Helpers {
  wind: WindSource
  routes: RoutePlanner
}

export const onThisThread = (wind: WindSource): Helpers => ({ wind, routes: routesInSlices() })

export function newWorld(settings: Settings, probe: Probe, { wind, routes }: Helpers): World {
  const random = randomFrom(settings.seed)
  const tallyWatch = probe.watchId('tally')
  const markers = declareMarkers(probe, { tally: tallyWatch })
  const classes = declareClasses(probe)
  const wings = newWings(settings.moths, random)
  const town = buildTown(settings.lanterns, random)
  return {
    settings,
    probe,
    markers,
    gauges: declareGauges(probe),
    classes,
    tallyWatch,
    random,
    town,
    source: settings.flaws.has('letter-churn')
      ? churningSource(probe, classes.letter)
      : poolingSource(POOL, probe, classes.letter),
    wind,
    windField: wind.join(),
    windJob: 0,
    routes,
    replanning: null,
    step: 0,
    nextBellStep: Math.round(FIRST_BELL_S / STEP_S),
    shift: 0,
    lettersMade: 0,
    arriving: 0,
    belts: Array.from({ length: BELTS }, () => []),
    stamped: [],
    beltCrowding: 0,
    bins: Array.from({ length: BINS }, () => []),
    moths: Array.from({ length: settings.moths }, (_, id) =>
      newMoth(id, random, probe.updater(classes.moth, { marker: markers['moth.update'] })),
    ),
    book: lastNightsBook(random),
    delivered: 0,
    binCounts: new Int32Array(BINS),
    discrepancies: 0,
    tallyLines: [],
    tallyShown: '',
    deadLetters: [],
    deadAccount: 0,
    wings,
    mechanics: { owedMs: 0, strain: new Float64Array(GEARS) },
    auditMark: 0,
    dust: new Float32Array(160 * 160),
    audit: 0,
    batches: 0,
  }
}

/** What the night before has left in the book. */
function lastNightsBook(random: Random): BookEntry[] {
  return Array.from({ length: OLD_ENTRIES }, (_, i) => {
    const letter = -1 - i
    const address = `${1 + Math.floor(random() * 90)} Wick Street`
    return { letter, carrier: nameOf(i % 50), address, seal: sealOf(address, letter) }
  })
}

const nameOf = (moth: number): string =>
  `${['Atlas', 'Luna', 'Vesta', 'Io', 'Hera', 'Silas', 'Polly', 'Ina'][moth % 8]} the ${moth}th of the night post`

function newMoth(id: number, random: Random, updater: Updater): Moth {
  return {
    id,
    name: nameOf(id),
    x: random() * TOWN,
    y: random() * TOWN,
    vx: 0,
    vy: 0,
    carrying: null,
    target: null,
    targetName: '',
    roostsUntil: 0,
    routeCost: 0,
    updater,
  }
}
