/** Every figure that detection is made of, by where it stands: for its version, the docs, and the tests of its edges. */
import { FINDING_LIST } from '../lists/findings.ts'
import { STEADY } from './collections.ts'
import { FAMILY_LIMITS } from './families.ts'
import { WORTH_SHOWING } from './find.ts'
import { FLOOR } from './finding.ts'
import { PERIOD_LIMITS } from './periodic.ts'
import { SCALING_LIMITS } from './scaling.ts'
import { SPIKE_LIMITS } from './spikes.ts'
import { STRIKE_LIMITS } from './strikes.ts'
import { MACHINE_LIMITS } from './blame-machine.ts'
import { SPEED_LIMITS } from '../study/index.ts'

export const DETECTION_LIMITS = {
  spikes: SPIKE_LIMITS,
  speed: SPEED_LIMITS,
  strikes: STRIKE_LIMITS,
  machine: MACHINE_LIMITS,
  families: FAMILY_LIMITS,
  periods: PERIOD_LIMITS,
  scaling: SCALING_LIMITS,
  allocation: { STEADY },
  findings: { WORTH_SHOWING, FLOOR },
  kinds: Object.fromEntries(FINDING_LIST.map(({ name, limits }) => [name, limits])) as Record<
    string,
    Readonly<Record<string, number>>
  >,
}
