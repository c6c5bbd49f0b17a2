/** What a platform tells of what the machine does to the game. Each call tells of the time since the one before. */
export interface MachineAccess {
  /** ns that the thread stood ready while the system ran something else; TAKEN_UNKNOWN where that cannot be told. Quick. */
  takenNs(): number
  /** ms of processor time, over all cores, that the host gave to others; NaN where that cannot be told, or is not due. */
  stolenMs(nowMs: number): number
}
