/** What a remedy does to the recorded frames: columns of one element a frame, no side effects. */

export interface Change {
  /** Number of the path that is changed with all inside it; null where only memory changes. */
  path: number | null
  /** Only the path itself, not what runs inside it. */
  alone?: boolean
  /** Share of the time that stays in its frame, 0 to 1; not given: all of it. */
  keep?: Float64Array
  /** Runs stay as many as they were, and only take less; else they go with their time. */
  sameRuns?: boolean
  /** Time of the path and all inside it that runs in this frame though recorded in another, ns. */
  put?: Float64Array
  /** Fixed steps that a frame may run from now on. */
  mostSteps?: number
  /** Share of the time of needless runs that stays and is still needless, where it is another than that of all. */
  keepNeedless?: Float64Array
  /** New time of the path itself, ns. */
  extraNs?: Float64Array
  /** Share of the bytes that stay, where it is another than that of the time. */
  keepBytes?: Float64Array
  /** Bytes more, or less, that no path is known to allocate. */
  extraBytes?: Float64Array
  /** Bytes alive at the end of each frame that are no longer made anew: what collections had to carry along. */
  carriedBytes?: Float64Array
  /** Waiting for jobs that comes up, ns. */
  jobWaitNs?: Float64Array
  /** The time that goes was that of needless, or repeated, runs: there is less of it for others to take. */
  clears?: 'needless' | 'repeated'
}
