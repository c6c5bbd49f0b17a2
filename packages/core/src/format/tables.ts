/**
 * The columns of a chunk, said once: the check, the wire form, storage, joining, cutting and the specification go by
 * these tables. A new column is one line here.
 */
import { BYTES_UNKNOWN, EFFECT_SOME, EFFECT_UNSAID, JOB_ENDED, NO_KEY, TAKEN_UNKNOWN } from './constants.ts'
import { LIMITS } from './limits.ts'

export const MOST_IDS = 0xffff_ffff

/** What a column is read as. `whole`: from 0 to `most`; `amount`: ns or bytes, from `least`; `number`: anything finite. */
interface Arrays {
  byte: Uint8Array
  whole: Uint32Array
  amount: Float64Array
  number: Float64Array
}
export type Holds = keyof Arrays

export interface ColumnRule {
  /** Its name in a take. */
  wire: string
  holds: Holds
  least: number
  most: number
  /** Stands where the column is left out; `null` for one that never is. */
  empty: number | null
  /** Kept as it is on the wire, though narrower would do: times with a fraction, values of any kind. */
  asIs: boolean
}

type Parts = Partial<Omit<ColumnRule, 'wire' | 'holds'>>

const column = <H extends Holds>(holds: H, wire: string, parts: Parts = {}): ColumnRule & { holds: H } => ({
  ...{ wire, holds, least: 0, most: MOST_IDS, empty: null, asIs: false },
  ...parts,
})

export type Table = Readonly<Record<string, ColumnRule>>
/** The arrays of a table, by the names that the program has for its columns. */
export type ColumnsOf<T extends Table> = { -readonly [K in keyof T]: Arrays[T[K]['holds']] }

/** One element a frame, beside start and duration. */
export const FRAME_COLUMNS = {
  steps: column('whole', 'steps', { empty: 0 }),
  takenNs: column('amount', 'taken', { empty: TAKEN_UNKNOWN, least: TAKEN_UNKNOWN }),
}

/** One element a span, beside what every span has: what the runs said about themselves. */
export const SPAN_DETAILS = {
  effect: column('byte', 'effect', {
    empty: EFFECT_UNSAID,
    most: EFFECT_SOME,
  }),
  bytes: column('amount', 'bytes', {
    empty: BYTES_UNKNOWN,
    least: BYTES_UNKNOWN,
  }),
  key: column('whole', 'key', { empty: NO_KEY }),
}

/** What is sampled in some frames: for each thing the frames within the chunk, and columns beside them. */
export const SAMPLES = {
  gauges: {
    key: 'gauge',
    most: LIMITS.gauges,
    /** A value holds until the next. */
    holds: true,
    columns: { value: column('number', 'value', { asIs: true }) },
  },
  watches: {
    key: 'watch',
    most: LIMITS.watches,
    holds: false,
    columns: { looks: column('whole', 'looks'), changes: column('whole', 'changes') },
  },
  lives: {
    key: 'class',
    most: LIMITS.classes,
    holds: false,
    columns: {
      born: column('whole', 'born'),
      died: column('whole', 'died'),
      bytes: column('amount', 'bytes', { empty: 0 }),
    },
  },
  updaters: {
    key: 'class',
    most: LIMITS.classes,
    holds: true,
    columns: {
      instances: column('whole', 'instances'),
      enabled: column('whole', 'enabled'),
      unseen: column('whole', 'unseen', { empty: 0 }),
      far: column('whole', 'far', { empty: 0 }),
      asleep: column('whole', 'asleep', { empty: 0 }),
      everyMs: column('amount', 'every', {
        empty: 0,
        asIs: true,
      }),
    },
  },
} as const
export type SampleName = keyof typeof SAMPLES
export const SAMPLE_NAMES = Object.keys(SAMPLES) as SampleName[]

/** One sort of samples as a record has them. */
export type SamplesOf<N extends SampleName> = Record<(typeof SAMPLES)[N]['key'], number> & {
  /** Frame within the chunk, from 0. */
  frame: Uint32Array
} & ColumnsOf<(typeof SAMPLES)[N]['columns']>

/** One element an event. */
export const JOB_COLUMNS = {
  job: column('whole', 'job'),
  event: column('byte', 'event', { most: JOB_ENDED }),
  lane: column('whole', 'lane', { most: LIMITS.lanes - 1 }),
  marker: column('whole', 'marker', { most: LIMITS.markers - 1 }),
  atNs: column('amount', 'at', { asIs: true }),
}

/**
 * Fields without which everything else of a record is understood: where one is wrong it is left out and counted, and the
 * record is taken. Everything else refuses the record.
 */
export const OPTIONAL_FIELDS = [
  'conditions',
  'conditions.version',
  'conditions.build',
  'conditions.device',
  'conditions.scene',
  'conditions.load',
  'conditions.mode',
  'conditions.runtime',
  'conditions.probe',
  'conditions.seed',
  'conditions.recorder',
  'conditions.more',
  'markers[].group',
  'markers[].tags',
  'markers[].watches',
  'markers[].at',
  'markers[].at.source',
  'gauges[].unit',
  'gauges[].variants',
  'classes[].marker',
  'frames.steps',
  'frames.taken',
  'lanes[].effect',
  'lanes[].bytes',
  'lanes[].key',
  'moments[].data',
  'pictures',
  'problems',
] as const
export type OptionalField = (typeof OPTIONAL_FIELDS)[number]

/** What each column means, for the specification: apart from the tables, so that no game carries the words. */
export const COLUMN_WORDS: Readonly<Record<string, string>> = {
  'frames.steps': 'fixed steps run in each frame',
  'frames.taken': 'that the main lane stood ready and the system ran something else, ns; -1 unknown',
  'lanes[].effect': '0 unsaid, 1 changed nothing, 2 changed something',
  'lanes[].bytes': 'allocated, children’s included; -1 unknown',
  'lanes[].key': 'what the run was about, below 2^32; 0 for nothing',
  'gauges[].value': 'its value, until the next',
  'watches[].looks': 'times that it was looked at',
  'watches[].changes': 'times that it changed',
  'lives[].born': 'instances made',
  'lives[].died': 'instances gone',
  'lives[].bytes': 'allocated for those born, as the game says',
  'updaters[].instances': 'all there are',
  'updaters[].enabled': 'those that are updated',
  'updaters[].unseen': 'of those enabled: nobody sees',
  'updaters[].far': 'far away',
  'updaters[].asleep': 'asleep',
  'updaters[].every': 'mean interval of those enabled, ms; 0 is every frame',
  'jobs.job': 'from 1, below 2^32; identifies it within the take',
  'jobs.event': '0 dispatched, 1 begun, 2 ended',
  'jobs.lane': 'where it happened',
  'jobs.marker': 'what the job runs',
  'jobs.at': 'when, ns since the take’s start',
}

/** Columns that this version does not know, by name: kept, and handed on. */
export type OtherColumns = Record<string, Float64Array>

export const entriesOf = <T extends Table>(table: T) =>
  Object.entries(table) as [keyof T & string, ColumnRule][]

/** A new array for a column, empty as it is where nothing is said. */
export function newColumn(
  rule: Pick<ColumnRule, 'holds' | 'empty'>,
  length: number,
): Uint8Array | Uint32Array | Float64Array {
  const made =
    rule.holds === 'byte'
      ? new Uint8Array(length)
      : rule.holds === 'whole'
        ? new Uint32Array(length)
        : new Float64Array(length)
  return (rule.empty ?? 0) === 0 ? made : made.fill(rule.empty!)
}

/** The same values in the array that the column is read as. */
export function columnAs(
  rule: Pick<ColumnRule, 'holds'>,
  values: ArrayLike<number>,
): Uint8Array | Uint32Array | Float64Array {
  if (rule.holds === 'byte') return new Uint8Array(values)
  return rule.holds === 'whole' ? new Uint32Array(values) : new Float64Array(values)
}
export const newColumns = <T extends Table>(table: T, length: number): ColumnsOf<T> =>
  mapColumns(table, (rule) => newColumn(rule, length)) as ColumnsOf<T>

/** Something for each column of a table, under the same names. */
export const mapColumns = <T extends Table, R>(
  table: T,
  make: (rule: ColumnRule, name: keyof T & string) => R,
) =>
  Object.fromEntries(entriesOf(table).map(([name, rule]) => [name, make(rule, name)])) as Record<keyof T, R>
