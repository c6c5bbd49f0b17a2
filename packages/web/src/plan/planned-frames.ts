/** The chosen frames as a plan would have them. */
export interface PlannedFrames {
  /** The first of them. */
  from: number
  workNs: Float64Array
  /** Times its own work that a frame may take, by the range of the mean; null until it is known. */
  range: { low: number; high: number } | null
}

/** Work of one frame with the plan, ns; null where it was not forecast. */
export const plannedNs = (planned: PlannedFrames | null, frame: number): number | null =>
  planned?.workNs[frame - planned.from] ?? null
