/** Which threads do what, and how many of them there are. */
import { availableParallelism } from 'node:os'
import type { TaskName } from './tasks.ts'

interface Kind {
  /** At most; they are begun when there is something to do. */
  threads: number
  /** Tasks that one thread has in hand at once. */
  atOnce: number
  /** A thread that has had nothing to do for so long ends, and with it its studies and connections. */
  idleMs: number
}

const CORES = availableParallelism()
const MINUTE_MS = 60_000
/**
 * Of the heap of one thread; columns of figures lie outside it. The collector lets a heap that may become so large grow
 * fourfold between collections, a small one by a third: with 512 MB half of a recording thread's time is collecting.
 * None comes near it by itself.
 */
export const HEAP_MB = 2_048
/** Of that, for what is young: what tasks work on lies in columns, and a larger one is memory that is kept for nothing. */
export const YOUNG_MB = 12

export const KINDS = {
  /** Games that record: many at once on each core, each in its own order. */
  recordings: { threads: CORES, atOnce: 256, idleMs: MINUTE_MS },
  /** Takes in and out: mostly they wait for disk and network. Jobs take turns before they come here (serve/jobs): three imports of the largest size keep below 1 GB. */
  files: { threads: 1, atOnce: 8, idleMs: MINUTE_MS },
  /** What screens ask: answered at once. */
  questions: { threads: Math.max(1, CORES - 1), atOnce: 4, idleMs: 10 * MINUTE_MS },
  /** The same of single frames and of small takes: not to wait behind the others. */
  small: { threads: 1, atOnce: 4, idleMs: 10 * MINUTE_MS },
  /** What may take seconds. */
  studies: { threads: Math.max(1, CORES - 1), atOnce: 1, idleMs: MINUTE_MS },
} satisfies Record<string, Kind>
export type KindName = keyof typeof KINDS

export const KIND_OF: Record<Exclude<TaskName, 'wake'>, KindName> = {
  record: 'recordings',
  post: 'recordings',
  assemble: 'recordings',
  traces: 'recordings',
  spool: 'files',
  import: 'files',
  export: 'files',
  excerpt: 'files',
  composite: 'files',
  verify: 'files',
  ask: 'questions',
  askSmall: 'small',
  readAhead: 'questions',
  diagnose: 'questions',
  close: 'questions',
  compare: 'studies',
  check: 'studies',
  budget: 'studies',
  history: 'studies',
  devices: 'studies',
  report: 'studies',
  proof: 'studies',
}
