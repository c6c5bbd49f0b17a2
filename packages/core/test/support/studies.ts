/** Studies made for tests: frames described as trees of runs, recorded, digested and put together. */
import {
  EFFECT_UNSAID,
  emptyChunk,
  NO_KEY,
  noJobs,
  takenGauge,
  TAKEN_UNKNOWN,
  type ChunkRecord,
  type Conditions,
  type DeclareRecord,
  type JobEvents,
  type LaneSpans,
  type MarkerKind,
  type Place,
} from '@lapsus/core/format'
import { coursesOf } from '@lapsus/core/rollup'
import { buildStudy, type Study, type StudyChunk, type StudyFrom } from '@lapsus/core/study'
import { Digester } from '@lapsus/core/take'
import { randomFrom } from '../../../../games/moth-post/src/random.ts'

export interface Run {
  marker: string
  /** Own time, ns. */
  selfNs: number
  children?: Run[]
  /** Whether it changed anything; unsaid if not given. */
  effect?: boolean
  key?: number
  /** Allocated by itself. */
  bytes?: number
}

export interface TestFrame {
  runs: Run[]
  /** On a lane of their own. */
  worker?: Run[]
  /** Time outside any marker, ns. */
  restNs?: number
  steps?: number
  /** Taken from the main lane by the system, ns; unknown if not given. */
  takenNs?: number | undefined
  gauges?: Record<string, number>
  /** Born and died, by class. */
  lives?: Record<string, [number, number]>
  /** Looks and changes, by watch. */
  watches?: Record<string, [number, number]>
  /** Instances, enabled, asleep and, where it matters, far, by class. */
  updaters?: Record<string, [number, number, number, number?]>
  moments?: string[]
}

export interface TestGame {
  markers?: Record<
    string,
    { kind?: MarkerKind; tags?: string[]; watches?: string[]; group?: string; at?: Place }
  >
  /** Marker that runs once for each updater of a class. */
  classes?: Record<string, string | null>
  /** Variants by name of the gauge that tells which is in use. */
  trials?: Record<string, string[]>
  target?: number
  conditions?: Conditions
  jobs?: JobEvents
  /** Frames a chunk. */
  chunkFrames?: number
  /** First frames of kept stretches; multiples of `chunkFrames`. */
  stretches?: number[]
}

export const run = (marker: string, selfNs: number, more: Partial<Run> = {}): Run => ({
  marker,
  selfNs,
  ...more,
})

/** `times` runs of `selfNs` each. */
export const runs = (times: number, marker: string, selfNs: number, more: Partial<Run> = {}): Run[] =>
  Array.from({ length: times }, () => run(marker, selfNs, more))

/** The records that a recorder of the game would send, but for the take's own and the last. */
export function recordsFrom(frames: TestFrame[], game: TestGame = {}): [DeclareRecord, ...ChunkRecord[]] {
  const { chunkFrames = 50, stretches = [] } = game
  const ids = namesIn(frames, game)
  const id = (list: string[], name: string) => list.indexOf(name)
  const declare: DeclareRecord = {
    record: 'declare',
    sequence: 1,
    markers: ids.markers.map((name, at) => ({
      id: at,
      name,
      group: game.markers?.[name]?.group ?? '',
      kind: game.markers?.[name]?.kind ?? 'work',
      tags: game.markers?.[name]?.tags ?? [],
      at: game.markers?.[name]?.at ?? null,
      watches: (game.markers?.[name]?.watches ?? []).map((watch) => id(ids.watches, watch)),
    })),
    lanes: [
      { id: 0, name: 'main' },
      { id: 1, name: 'worker' },
    ],
    gauges: ids.gauges.map((name, at) => ({
      id: at,
      name,
      unit: name === 'heap' ? 'bytes' : name === takenGauge('worker') ? 'ms' : '',
      variants: game.trials?.[name] ?? [],
    })),
    watches: ids.watches.map((name, at) => ({ id: at, name })),
    classes: ids.classes.map((name, at) => {
      const marker = game.classes?.[name] ?? null
      return { id: at, name, marker: marker === null ? null : id(ids.markers, marker) }
    }),
  }
  const chunks: ChunkRecord[] = []
  let startNs = 0
  for (let first = 0; first < frames.length; first += chunkFrames) {
    const chunk = chunkOf(frames.slice(first, first + chunkFrames), chunks.length + 2, startNs, ids)
    if (first === 0 && game.jobs !== undefined) chunk.jobs = game.jobs
    if (stretches.includes(first)) chunk.stretch = { cause: 'a test', at: '2026-01-02T03:04:05.000Z' }
    startNs = chunk.frameStartNs.at(-1)! + chunk.frameDurationNs.at(-1)!
    chunks.push(chunk)
  }
  return [declare, ...chunks]
}

/** What the frames are put together to. */
export function studyFrom(frames: TestFrame[], game: TestGame = {}): Study {
  const { from, chunks } = chunksFrom(frames, game)
  return buildStudy(from, chunks)
}

/** What a study of the frames is put together from. */
export function chunksFrom(
  frames: TestFrame[],
  game: TestGame = {},
): { from: StudyFrom; chunks: StudyChunk[] } {
  const { target = 60, conditions = {} } = game
  const [declare, ...records] = recordsFrom(frames, game)
  const digester = new Digester()
  digester.declare(declare)
  const chunks = records.map((record): StudyChunk => {
    const { stretch, ...chunk } = digester.digest(record)
    const courses = coursesOf(chunk, digester.progress.paths)
    return { ...chunk, courses, beginsStretch: stretch !== null }
  })
  return { from: { conditions, target, ...digester.progress }, chunks }
}

interface Names {
  markers: string[]
  gauges: string[]
  watches: string[]
  classes: string[]
}

function namesIn(frames: TestFrame[], game: TestGame): Names {
  const ofClasses = Object.values(game.classes ?? {}).filter((marker) => marker !== null)
  const markers = new Set<string>([...Object.keys(game.markers ?? {}), ...ofClasses])
  const visit = ({ marker, children = [] }: Run) => {
    markers.add(marker)
    children.forEach(visit)
  }
  const keys = (pick: (frame: TestFrame) => object | undefined) => [
    ...new Set(frames.flatMap((frame) => Object.keys(pick(frame) ?? {}))),
  ]
  for (const frame of frames) [...frame.runs, ...(frame.worker ?? [])].forEach(visit)
  return {
    markers: [...markers],
    gauges: keys(({ gauges }) => gauges),
    watches: keys(({ watches }) => watches),
    classes: [...new Set([...keys(({ lives }) => lives), ...keys(({ updaters }) => updaters)])],
  }
}

/** Time that a run takes with all inside it, ns. */
const totalOf = ({ selfNs, children = [] }: Run): number =>
  children.reduce((sum, child) => sum + totalOf(child), selfNs)

/** The runs of one lane, laid end to end from each frame's start. */
function laneOf(lane: number, runsOf: Run[][], starts: number[], names: Names): LaneSpans {
  const rows = {
    marker: [] as number[],
    start: [] as number[],
    duration: [] as number[],
    depth: [] as number[],
  }
  const details = { effect: [] as number[], key: [] as number[], bytes: [] as number[] }
  const lay = (span: Run, fromNs: number, depth: number): number => {
    const row = rows.marker.length
    rows.marker.push(names.markers.indexOf(span.marker))
    rows.start.push(fromNs)
    rows.duration.push(totalOf(span))
    rows.depth.push(depth)
    details.effect.push(span.effect === undefined ? EFFECT_UNSAID : span.effect ? 2 : 1)
    details.key.push(span.key ?? NO_KEY)
    details.bytes.push(0)
    let atNs = fromNs + span.selfNs
    let bytes = span.bytes ?? 0
    for (const child of span.children ?? []) {
      bytes += lay(child, atNs, depth + 1)
      atNs += totalOf(child)
    }
    return (details.bytes[row] = bytes)
  }
  const count = runsOf.map((outermost, i) => {
    const before = rows.marker.length
    let atNs = starts[i]!
    for (const span of outermost) {
      lay(span, atNs, 0)
      atNs += totalOf(span)
    }
    return rows.marker.length - before
  })
  const some = <T extends Uint8Array | Uint32Array | Float64Array>(column: T) =>
    column.some((value) => value !== 0) ? column : undefined
  return {
    lane,
    count: Uint32Array.from(count),
    marker: Uint32Array.from(rows.marker),
    startNs: Float64Array.from(rows.start),
    durationNs: Float64Array.from(rows.duration),
    depth: Uint8Array.from(rows.depth),
    effect: some(Uint8Array.from(details.effect)),
    key: some(Uint32Array.from(details.key)),
    bytes: some(Float64Array.from(details.bytes)),
  }
}

function chunkOf(frames: TestFrame[], sequence: number, startNs: number, names: Names): ChunkRecord {
  const durations = frames.map(({ runs: outermost, restNs = 0 }) =>
    outermost.reduce((sum, span) => sum + totalOf(span), restNs),
  )
  const starts: number[] = []
  let at = startNs
  for (const duration of durations) {
    starts.push(at)
    at += duration
  }
  const main = laneOf(
    0,
    frames.map((frame) => frame.runs),
    starts,
    names,
  )
  const worker = laneOf(
    1,
    frames.map((frame) => frame.worker ?? []),
    starts,
    names,
  )
  const samples = <T>(list: string[], pick: (frame: TestFrame) => Record<string, T> | undefined) =>
    list.flatMap((name, id) => {
      const found = frames.flatMap((frame, i) => {
        const value = pick(frame)?.[name]
        return value === undefined ? [] : [{ frame: i, value }]
      })
      return found.length === 0 ? [] : [{ id, frame: Uint32Array.from(found, (one) => one.frame), found }]
    })
  const column = (found: { value: readonly (number | undefined)[] }[], i: number) =>
    Uint32Array.from(found, ({ value }) => value[i] ?? 0)
  return {
    ...emptyChunk(sequence),
    frameStartNs: Float64Array.from(starts),
    frameDurationNs: Float64Array.from(durations),
    steps: Uint32Array.from(frames, ({ steps = 0 }) => steps),
    takenNs: Float64Array.from(frames, ({ takenNs = TAKEN_UNKNOWN }) => takenNs),
    lanes: worker.marker.length > 0 ? [main, worker] : [main],
    gauges: samples(names.gauges, ({ gauges }) => gauges).map(({ id, frame, found }) => ({
      gauge: id,
      frame,
      value: Float64Array.from(found, ({ value }) => value),
    })),
    lives: samples(names.classes, ({ lives }) => lives).map(({ id, frame, found }) => ({
      class: id,
      frame,
      born: column(found, 0),
      died: column(found, 1),
      bytes: new Float64Array(frame.length),
    })),
    watches: samples(names.watches, ({ watches }) => watches).map(({ id, frame, found }) => ({
      watch: id,
      frame,
      looks: column(found, 0),
      changes: column(found, 1),
    })),
    updaters: samples(names.classes, ({ updaters }) => updaters).map(({ id, frame, found }) => ({
      class: id,
      frame,
      instances: column(found, 0),
      enabled: column(found, 1),
      unseen: new Uint32Array(frame.length),
      far: column(found, 3),
      asleep: column(found, 2),
      everyMs: new Float64Array(frame.length),
    })),
    jobs: noJobs(),
    moments: frames.flatMap(({ moments = [] }, i) =>
      moments.map((name) => ({ name, atNs: starts[i]! + 1, data: null })),
    ),
  }
}

export { randomFrom }

/** Normal noise around 0, by Box and Muller. */
export const normalFrom = (random: () => number): number =>
  Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random())
