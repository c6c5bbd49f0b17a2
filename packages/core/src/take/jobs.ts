/** Jobs put together from their events: who started one, and where and when it ran. */
import { JOB_BEGUN, JOB_DISPATCHED, JOB_ENDED, type JobEvents } from '../format/index.ts'

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

/** A job that ended without having begun, or at another time than its order allows. */
export const isUnpaired = ({ dispatched, begun, ended }: Job): boolean =>
  (ended !== null && begun === null) ||
  (begun !== null && ended !== null && ended.atNs < begun.atNs) ||
  (dispatched !== null && begun !== null && begun.atNs < dispatched.atNs)
