import { median } from '../stats/index.ts'
import type { Site } from './site.ts'

/** Median time from handing over to beginning of the recorded jobs, µs. */
export function handOverUs(site: Site): number | null {
  const gaps = site.base.study.jobs.flatMap(({ dispatched, begun }) =>
    dispatched !== null && begun !== null && begun.atNs >= dispatched.atNs
      ? [(begun.atNs - dispatched.atNs) / 1000]
      : [],
  )
  return gaps.length === 0 ? null : median(gaps)
}
