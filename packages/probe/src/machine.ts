/** What a platform tells of what the machine does to the thread that asks; null where it does not. */
export interface MachineAccess {
  /** ns that the thread has stood ready while the system ran something else, since it began. Quick; NaN when unknown. */
  readyNs: (() => number) | null
  /** ms of processor time that the machine's host has given to others, over all cores, since it began. NaN when unknown. */
  stolenMs: (() => number) | null
}

export const NO_MACHINE: MachineAccess = { readyNs: null, stolenMs: null }
