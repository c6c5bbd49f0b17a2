/**
 * The post office's known flaws. Each is real code that does its job the costly way; without it the
 * same job is done the better way, with the same outcome.
 */
export const FLAWS = {
  'letter-churn': 'letters are created on arrival and thrown away on delivery, instead of pooled',
  'lantern-all-pairs': 'every moth measures every lantern, instead of those in the buckets nearby',
  'roll-call-nested': 'the roll call at the bell runs in nested loops, instead of over an index',
} as const

export type Flaw = keyof typeof FLAWS

export interface Settings {
  seed: number
  flaws: ReadonlySet<Flaw>
  /** Letters that arrive each second. */
  letters: number
  moths: number
  lanterns: number
}

export const DEFAULTS = { seed: 1, letters: 90, moths: 150 }
export const LANTERNS = 320

/** Fixed step of the game, and so its target. */
export const STEP_S = 1 / 60
/** The shift bell rings this long after the start, and every 20 s from then on. */
export const FIRST_BELL_S = 5
export const SHIFT_S = 20

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
