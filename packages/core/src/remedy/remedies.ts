/** Every remedy, by kind. */
import type { RemedyKind } from '../detect/index.ts'
import { bucket } from './kinds/bucket.ts'
import { byHand } from './kinds/by-hand.ts'
import { cache } from './kinds/cache.ts'
import { drop } from './kinds/drop.ts'
import { gate } from './kinds/gate.ts'
import { hoist } from './kinds/hoist.ts'
import { jobs } from './kinds/jobs.ts'
import { limitSteps } from './kinds/limit-steps.ts'
import { oneManager } from './kinds/one-manager.ts'
import { pool } from './kinds/pool.ts'
import { rateByDistance } from './kinds/rate-by-distance.ts'
import { react } from './kinds/react.ts'
import { reuse } from './kinds/reuse.ts'
import { share } from './kinds/share.ts'
import { sleep } from './kinds/sleep.ts'
import { slice } from './kinds/slice.ts'
import { stagger } from './kinds/stagger.ts'
import { timer } from './kinds/timer.ts'
import type { Remedy } from './remedy.ts'

export const REMEDIES: Record<RemedyKind, Remedy> = {
  pool,
  reuse,
  timer,
  stagger,
  react,
  slice,
  jobs,
  hoist,
  cache,
  bucket,
  sleep,
  'rate-by-distance': rateByDistance,
  'one-manager': oneManager,
  'limit-steps': limitSteps,
  share,
  gate,
  drop,
  'by-hand': byHand,
}
