/** Values of columns that mean something. */

/** What a run said about itself: nothing, that it changed nothing (needless), or that it did. */
export const EFFECT_UNSAID = 0
export const EFFECT_NONE = 1
export const EFFECT_SOME = 2
/** Bytes of a run in which a collection ran: its heap readings cannot tell. */
export const BYTES_UNKNOWN = -1
/** Time taken from a frame where the system does not tell. */
export const TAKEN_UNKNOWN = -1
/** Gauge, ms, of what the system took from the thread of another lane; the lane's name follows. */
export const takenGauge = (lane: string): string => `taken: ${lane}`
/** Key of a run that has none. */
export const NO_KEY = 0

export const JOB_DISPATCHED = 0
export const JOB_BEGUN = 1
export const JOB_ENDED = 2

/** Group of the markers that a recorder sets for its own work. */
export const RECORDER_GROUP = 'recorder'
