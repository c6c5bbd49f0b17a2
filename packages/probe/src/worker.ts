/** The probe for a worker thread of a page: its spans travel to the main thread's probe of the same game. */
import { laneOf, type LaneProbe } from './lane-link.ts'

export type { LaneProbe } from './lane-link.ts'
export type { JobId, MarkerId, MarkerOptions } from './span-recorder.ts'

/**
 * A recorder for this thread, shown beside the main one as lane `name`. Records times only; for bytes, use
 * `createProbe(…).lane(name)`.
 * @param game its name, exactly as on the main thread
 */
export const createLane = (game: string, name: string): LaneProbe => laneOf(game, name, null)
