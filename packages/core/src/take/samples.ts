/** What a chunk says about its frames besides spans, and how it is stored: as CBOR. */
import {
  decodeCbor,
  encodeCbor,
  narrow,
  noJobs,
  type ChunkRecord,
  type Column,
  type GaugeSamples,
} from '../format/index.ts'

export type Samples = Pick<ChunkRecord, 'gauges' | 'watches' | 'lives' | 'updaters' | 'jobs'>

export const samplesOf = ({ gauges, watches, lives, updaters, jobs }: ChunkRecord): Samples => ({
  gauges,
  watches,
  lives,
  updaters,
  jobs,
})

/** Columns of whole numbers become narrow; what is not whole stays as it is. */
const NOT_WHOLE = new Set(['value', 'everyMs'])

function narrowColumns<T extends object>(item: T): T {
  return Object.fromEntries(
    Object.entries(item).map(([name, value]) => [
      name,
      ArrayBuffer.isView(value) && !NOT_WHOLE.has(name) ? narrow(value as Column) : value,
    ]),
  ) as T
}

export function encodeSamples({ gauges, watches, lives, updaters, jobs }: Samples): Uint8Array {
  const some = <T extends object>(items: T[]) => (items.length > 0 ? items.map(narrowColumns) : undefined)
  return encodeCbor({
    gauges: some(gauges),
    watches: some(watches),
    lives: some(lives),
    updaters: some(updaters),
    jobs: jobs.job.length > 0 ? narrowColumns(jobs) : undefined,
  })
}

/** Reads what encodeSamples wrote, and takes stored before there was more than gauges. */
export function decodeSamples(bytes: Uint8Array): Samples {
  const stored = decodeCbor(bytes) as Partial<Samples> | GaugeSamples[]
  const {
    gauges = [],
    watches = [],
    lives = [],
    updaters = [],
    jobs,
  } = Array.isArray(stored) ? { gauges: stored } : stored
  return {
    gauges: gauges.map(({ gauge, frame, value }) => ({
      gauge,
      frame: new Uint32Array(frame),
      value: new Float64Array(value),
    })),
    watches: watches.map((item) => ({
      watch: item.watch,
      frame: new Uint32Array(item.frame),
      looks: new Uint32Array(item.looks),
      changes: new Uint32Array(item.changes),
    })),
    lives: lives.map((item) => ({
      class: item.class,
      frame: new Uint32Array(item.frame),
      born: new Uint32Array(item.born),
      died: new Uint32Array(item.died),
      bytes: new Float64Array(item.bytes),
    })),
    updaters: updaters.map((item) => ({
      class: item.class,
      frame: new Uint32Array(item.frame),
      instances: new Uint32Array(item.instances),
      enabled: new Uint32Array(item.enabled),
      unseen: new Uint32Array(item.unseen),
      far: new Uint32Array(item.far),
      asleep: new Uint32Array(item.asleep),
      everyMs: new Float64Array(item.everyMs),
    })),
    jobs:
      jobs === undefined
        ? noJobs()
        : {
            job: new Uint32Array(jobs.job),
            event: new Uint8Array(jobs.event),
            lane: new Uint32Array(jobs.lane),
            marker: new Uint32Array(jobs.marker),
            atNs: new Float64Array(jobs.atNs),
          },
  }
}
