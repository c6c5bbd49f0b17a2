/** Jobs put together from their events: who started one, and where and when it ran. */
import {
  columnAs,
  JOB_BEGUN,
  JOB_COLUMNS,
  JOB_DISPATCHED,
  JOB_ENDED,
  mapColumns,
  type JobEvents,
} from '../format/index.ts'

/** Times in ns since the take's start; what is not known is null. */
export interface Job {
  id: number
  marker: number
  dispatched: { lane: number; atNs: number } | null
  begun: { lane: number; atNs: number } | null
  ended: { lane: number; atNs: number } | null
}

/** The jobs that the given events tell of, in order of their numbers. The first event of a sort counts. */
export function pairJobs(events: readonly JobEvents[]): Job[] {
  const jobs = new Map<number, Job>()
  for (const { job, event, lane, marker, atNs } of events) {
    for (let i = 0; i < job.length; i++) {
      const id = job[i]!
      let found = jobs.get(id)
      if (found === undefined) {
        found = { id, marker: marker[i]!, dispatched: null, begun: null, ended: null }
        jobs.set(id, found)
      }
      const instant = { lane: lane[i]!, atNs: atNs[i]! }
      if (event[i] === JOB_DISPATCHED) found.dispatched ??= instant
      else if (event[i] === JOB_BEGUN) found.begun ??= instant
      else if (event[i] === JOB_ENDED) found.ended ??= instant
    }
  }
  return [...jobs.values()].sort((a, b) => a.id - b.id)
}

/** Jobs under way that are remembered: more than a game can have at once. */
const MOST_OPEN = 65_536

/** The events without the ends of jobs that began before: of a stretch that begins in the middle of them. */
export function withoutLooseEnds(events: JobEvents): JobEvents {
  const begun = new Set<number>()
  events.job.forEach((job, i) => events.event[i] === JOB_BEGUN && begun.add(job))
  const kept = [...events.job.keys()].filter(
    (i) => events.event[i] !== JOB_ENDED || begun.has(events.job[i]!),
  )
  return jobEventsAt(events, kept)
}

/** The events with the given indices. */
export const jobEventsAt = (events: JobEvents, indices: number[]): JobEvents =>
  mapColumns(JOB_COLUMNS, (rule, name) =>
    columnAs(
      rule,
      indices.map((i) => events[name][i]!),
    ),
  ) as JobEvents

/**
 * Follows the jobs of a take from chunk to chunk.
 * @param open jobs that have begun and not ended; brought up to date
 * @returns how many ended that never began
 */
export function countUnpaired({ job, event }: JobEvents, open: Set<number>): number {
  let unpaired = 0
  // A job may end and begin in one chunk, and events come in any order.
  for (let i = 0; i < job.length; i++) {
    if (event[i] === JOB_BEGUN && open.size < MOST_OPEN) open.add(job[i]!)
  }
  for (let i = 0; i < job.length; i++) {
    if (event[i] === JOB_ENDED && !open.delete(job[i]!)) unpaired++
  }
  return unpaired
}
