/** The probe for a worker thread: its spans travel to the main thread's probe of the same game. */
import { LaneProbe } from './lane-link.ts'
import { shortName } from './given.ts'

export type { LaneProbe } from './lane-link.ts'
export type { JobId, MarkerId, MarkerOptions } from './span-recorder.ts'

/**
 * A recorder for this thread, shown beside the main one as lane `name`. Records times only; for bytes, use
 * `createProbe(…).lane(name)`.
 * @param game its name, exactly as on the main thread
 */
export function createLane(game: string, name: string): LaneProbe {
  const memory = { heap: null, watchCollections: null }
  return new LaneProbe(shortName(game), shortName(name), [], memory, 'timing')
}
