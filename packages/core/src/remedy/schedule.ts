/** Jobs on lanes: each goes to the lane that is free first. */

export interface Shift {
  lane: number
  /** ns since the jobs were handed over. */
  fromNs: number
  toNs: number
}

export interface Schedule {
  shifts: Shift[]
  /** When the last one is done, ns. */
  endNs: number
}

/**
 * List scheduling of jobs of equal length.
 * @param busyNs of each lane: until when it does something else
 */
export function scheduleJobs(jobs: number, jobNs: number, busyNs: readonly number[]): Schedule {
  const freeAt = [...busyNs]
  const shifts: Shift[] = []
  let endNs = 0
  for (let job = 0; job < jobs; job++) {
    let lane = 0
    for (let other = 1; other < freeAt.length; other++) if (freeAt[other]! < freeAt[lane]!) lane = other
    const toNs = freeAt[lane]! + jobNs
    shifts.push({ lane, fromNs: freeAt[lane]!, toNs })
    freeAt[lane] = toNs
    endNs = Math.max(endNs, toNs)
  }
  return { shifts, endNs }
}

/** When the last of these jobs is done, without saying which ran where. */
export function makespan(jobs: number, jobNs: number, busyNs: readonly number[]): number {
  if (jobs === 0) return 0
  if (busyNs.every((busy) => busy === 0)) return Math.ceil(jobs / busyNs.length) * jobNs
  return scheduleJobs(jobs, jobNs, busyNs).endNs
}
