import {
  fittingData,
  LIMITS,
  RECORDING_MODES,
  type Conditions,
  type RecordingMode,
} from '@lapsus/core/format'
import { fieldOf, isAmount, listField, namesOf, numberField, safely, shortName } from './given.ts'
import type { HeapReader } from './heap.ts'
import type { Tripwires } from './keep-last.ts'
import type { ProblemListener, Sink } from './sinks/sink.ts'

/** How to record; the part that whoever starts the game may decide. */
export interface RecordingOptions {
  /**
   * - `timing`: two clock reads a span
   * - `bytes`: also reads the heap at both ends of a span, which takes longer
   * - `keep-last`: timing, kept in the game's memory and sent only when a tripwire trips or `keep` is called
   *
   * Default: timing.
   */
  mode?: RecordingMode
  /** Seconds kept before a trip, in mode keep-last. Default: 10. */
  keepSeconds?: number
  /** What trips, in mode keep-last. */
  tripwires?: Tripwires
}

export interface ProbeOptions extends RecordingOptions {
  /** The game's name, as the library shows it. */
  game: string
  /** Frames a second the game aims for. Default: 60. */
  target?: number
  /**
   * Where the take goes: the address of a running Lapsus (`ws://127.0.0.1:4780`, `http://…` or `127.0.0.1:4780`), in
   * Node also a file path, or a sink of your own. Default: nowhere, and every call costs one test.
   * In Node the environment variable LAPSUS_TO overrides it.
   */
  to?: string | Sink
  /** Ingest key, for a Lapsus that asks for one. In Node the environment variable LAPSUS_KEY overrides it. */
  key?: string
  /**
   * Identifies the take: 8 to 64 letters, digits, '-', '_'. Default: a new one each time.
   * In Node the environment variable LAPSUS_TAKE overrides it.
   */
  take?: string
  /** Circumstances worth keeping: build, device, scene, seed, load … What the probe can tell itself is filled in. */
  conditions?: Conditions
  /**
   * Undelivered bytes the game's memory may hold, in MB. Beyond it whole frames are left out.
   * Default: 64, which is about a minute and a half at 400 spans a frame and 60 frames a second.
   */
  bufferMb?: number
  /** Bytes on an engine's own heap, instead of the platform's. */
  heap?: HeapReader
  /** Told when something about the recording goes wrong. Default: console.warn. */
  onProblem?: ProblemListener
}

const DEFAULT_TARGET = 60
const MOST_TARGET = 10_000
const DEFAULT_BUFFER_MB = 64
const DEFAULT_KEEP_SECONDS = 10
const TEXT_CONDITIONS = ['version', 'build', 'device', 'scene', 'load', 'runtime'] as const

/** Options as the probe goes by them: whatever was given, nothing of it is of a wrong type. */
export interface GoodOptions {
  game: string
  target: number
  to: string | Sink | null
  key: string | undefined
  take: string | null
  conditions: Conditions
  mostBytes: number
  heap: HeapReader | null
  onProblem: ProblemListener
}

/** Reads what a game gave. What is wrong is told and replaced; nothing is thrown. */
export function readOptions(given: unknown): GoodOptions {
  const listener = fieldOf(given, 'onProblem')
  const tell = typeof listener === 'function' ? (listener as ProblemListener) : console.warn
  const onProblem: ProblemListener = (message) => safely<unknown>(() => tell(message), undefined)
  const wrong = (field: string, expected: string) =>
    onProblem(`Lapsus: "${field}" must be ${expected}; it is not used`)
  const optional = <T>(field: string, expected: string, read: (value: unknown) => T | null): T | null => {
    const value = fieldOf(given, field)
    if (value === undefined || value === null) return null
    const good = read(value)
    if (good === null) wrong(field, expected)
    return good
  }
  return {
    onProblem,
    game: shortName(
      optional('game', 'a text', (value) => (typeof value === 'string' ? value : null)) ?? 'Game',
    ),
    target:
      optional('target', `a number of frames a second up to ${MOST_TARGET}`, (value) =>
        isAmount(value) && value > 0 && value <= MOST_TARGET ? value : null,
      ) ?? DEFAULT_TARGET,
    to: optional('to', 'an address, a path or a sink', (value) =>
      typeof value === 'string' ? value : isSink(value) ? value : null,
    ),
    key: optional('key', 'a text', (value) => (typeof value === 'string' ? value : null)) ?? undefined,
    take: optional('take', "8 to 64 letters, digits, '-' or '_'", goodIdentity),
    conditions: readConditions(fieldOf(given, 'conditions')),
    mostBytes:
      (optional('bufferMb', 'a number of MB above 0', (value) =>
        isAmount(value) && value > 0 ? value : null,
      ) ?? DEFAULT_BUFFER_MB) *
      2 ** 20,
    heap: optional('heap', 'a function', (value) =>
      typeof value === 'function' ? (value as HeapReader) : null,
    ),
  }
}

export const goodIdentity = (value: unknown): string | null =>
  typeof value === 'string' && /^[A-Za-z0-9_-]{8,64}$/.test(value) ? value : null

const isSink = (value: unknown): value is Sink =>
  ['hasRoom', 'put', 'close'].every((method) => typeof fieldOf(value, method) === 'function')

/** What of the conditions a take can hold. */
function readConditions(given: unknown): Conditions {
  const conditions: Conditions = {}
  for (const field of TEXT_CONDITIONS) {
    const value = fieldOf(given, field)
    if (value !== undefined && value !== null) conditions[field] = shortName(value)
  }
  const seed = fieldOf(given, 'seed')
  if (typeof seed === 'number' && Number.isFinite(seed)) conditions.seed = seed
  const more = fieldOf(given, 'more')
  if (more !== null && typeof more === 'object') conditions.more = fittingData(more).data
  return conditions
}

/**
 * The addresses that `to` names, with commas between them; null when it names none, and is a path; empty where one of
 * them is none. Whatever is given, this does not throw.
 */
export function ingestAddresses(to: string, path: string): string[] | null {
  const all = to.split(',').map((one) => ingestAddress(one.trim(), path))
  if (all[0] === null) return null
  return all.every((one) => one) ? (all as string[]) : []
}

/** Null for what is a path, '' for what is no good address. */
function ingestAddress(to: string, path: string): string | null {
  const isBare = /^(\[[0-9a-f:.]+\]|[\w.-]+):\d{1,5}$/i.test(to)
  const isHttp = /^https?:\/\//i.test(to)
  if (!isBare && !isHttp && !/^wss?:\/\//i.test(to)) return null
  const text = isBare ? `ws://${to}` : to.replace(/^http/i, 'ws')
  let address: URL
  try {
    address = new URL(text)
  } catch {
    return ''
  }
  // The address of the product's page, whichever view it shows, means the product.
  if (isHttp || address.pathname === '/') address.pathname = path
  if (isHttp) address.search = ''
  address.hash = ''
  return address.href
}

/** The recording options, with their defaults in place of what is missing or wrong. */
export function recordingOptions(
  given: unknown,
  hasHeap: boolean,
  onProblem: ProblemListener,
): Required<RecordingOptions> {
  let mode = (fieldOf(given, 'mode') ?? 'timing') as RecordingMode
  if (!RECORDING_MODES.includes(mode)) {
    onProblem(
      `Lapsus: "mode" must be one of ${RECORDING_MODES.join(', ')}, got "${shortName(mode)}"; recording times`,
    )
    mode = 'timing'
  }
  if (mode === 'bytes' && !hasHeap) {
    onProblem('Lapsus: the heap cannot be read here; recording times only')
    mode = 'timing'
  }
  const keepSeconds = numberField(given, 'keepSeconds') ?? 0
  return {
    mode,
    keepSeconds: keepSeconds > 0 ? keepSeconds : DEFAULT_KEEP_SECONDS,
    tripwires: readTripwires(fieldOf(given, 'tripwires')),
  }
}

function readTripwires(given: unknown): Tripwires {
  const frameMs = numberField(given, 'frameMs')
  const markers = fieldOf(given, 'markers')
  const wires = namesOf(markers)
    .slice(0, LIMITS.markers)
    .flatMap((name) => {
      const ms = numberField(markers, name)
      return ms === undefined ? [] : [[name, ms] as const]
    })
  return {
    ...(frameMs === undefined ? {} : { frameMs }),
    markers: Object.fromEntries(wires),
    moments: listField(given, 'moments').filter((name) => typeof name === 'string'),
  }
}
