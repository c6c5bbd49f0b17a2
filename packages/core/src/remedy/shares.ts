/** Shares of a path's time by frame. */

/** What stays of the time when some of it goes, never below 0; all of it in frames without any. */
export const keepWithout = (ns: Float64Array, goesNs: Float64Array): Float64Array =>
  ns.map((all, frame) => (all > 0 ? Math.max(0, 1 - goesNs[frame]! / all) : 1))

/** The largest value; 0 of none. */
export const largest = (values: Float64Array): number =>
  values.reduce((most, value) => Math.max(most, value), 0)
