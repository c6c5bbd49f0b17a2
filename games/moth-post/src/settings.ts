/**
 * The post office's known flaws. Each is real code that does its job the costly way; without it the
 * same job is done the better way, with the same outcome.
 */
export const FLAWS = {
  'letter-churn': 'letters are created on arrival and thrown away on delivery, instead of pooled',
  'roost-awake': 'roosting moths are updated like flying ones, instead of put to sleep',
  'lantern-all-pairs': 'every moth measures every lantern, instead of those in the buckets nearby',
  'tally-rebuild': 'the tally text is rebuilt in every frame, instead of when its figures change',
  'belt-retest': 'four rules each test the same belts again, instead of sharing one test a frame',
  'name-search': 'moths look their lantern up by name in every update, instead of keeping it',
  'route-burst': 'all routes are planned anew in the frame a gate shuts, instead of a few a frame',
  'roll-call-nested': 'the roll call at the bell runs in nested loops, instead of over an index',
  'vector-churn': 'steering makes a throw-away vector for every neighbour, instead of adding up',
  'step-pileup': 'belt mechanics catch up on every step they missed, instead of at most four a frame',
  'dead-letters':
    'letters that cannot be delivered are kept and looked through for ever, instead of returned',
  'lock-step': 'both chores of the house are done in the same frame, instead of half a second apart',
  'moth-objects': 'wings beat one object at a time, instead of in one pass over packed arrays',
} as const

export type Flaw = keyof typeof FLAWS

/** Flaws that can be switched while the night goes on: letters cannot be pooled from one frame to the next. */
export const SWITCHED_FLAWS = (Object.keys(FLAWS) as Flaw[]).filter((flaw) => flaw !== 'letter-churn')

/** How routes are planned anew where `route-burst` is fixed. */
export const ROUTE_PLANS = ['sliced', 'jobs'] as const
export type RoutePlan = (typeof ROUTE_PLANS)[number]

export interface Settings {
  seed: number
  flaws: ReadonlySet<Flaw>
  /** Letters that arrive each second. */
  letters: number
  moths: number
  lanterns: number
  /** The night in which everything grows: length of the ramp, s; null for an even night. */
  rampS: number | null
}

export const DEFAULTS = { seed: 1, letters: 40, moths: 150 }
export const LANTERNS = 240

/** Fixed step of the game. */
export const STEP_S = 1 / 60
/** The shift bell rings this long after the start, and every 20 s from then on. */
export const FIRST_BELL_S = 5
export const SHIFT_S = 20

export const BELTS = 8
export const BINS = 16

/** What a ramp begins with and grows to, as a factor of letters and of moths on duty. */
const RAMP_FROM = 0.1

/** The share of the full load at this time. */
export const loadAt = ({ rampS }: Settings, timeS: number): number =>
  rampS === null ? 1 : Math.min(1, RAMP_FROM + (1 - RAMP_FROM) * (timeS / rampS))

/** @throws RangeError naming the flaw that is not known */
export function parseFlaws(text: string): Set<Flaw> {
  if (text === 'all') return new Set(Object.keys(FLAWS) as Flaw[])
  if (text === 'none' || text === '') return new Set()
  return new Set(
    text.split(',').map((name) => {
      const flaw = name.trim()
      if (!(flaw in FLAWS)) {
        throw new RangeError(`unknown flaw "${flaw}"; there are: all, none, ${Object.keys(FLAWS).join(', ')}`)
      }
      return flaw as Flaw
    }),
  )
}
