import { median } from '../../stats/index.ts'
import { dense, type PathCourse } from '../../study/index.ts'
import type { Evidence } from '../gather-evidence.ts'
import { floorCosts, worstFrames, type Detector, type Kind, type RemedyKind } from '../finding.ts'
import { amount, costWords, msOf, plural, share, part } from '../sentences.ts'

/** A path alone takes at least this share of the budget. */
const HOT = 0.1
/** Or this share, in so many runs a frame that each is short: the calls themselves are the cost. */
const HOT_BY_CALLS = 0.05
const MANY_CALLS = 100
const SHORT_RUN = 0.002
const STEADY = 0.5

/** Paths that take much of every frame, and of which nothing more particular is known. */
const hotspots: Detector = (evidence, claimed) =>
  evidence.work.flatMap(({ path, course }) => {
    const { budgetNs, count } = evidence
    const means = evidence.means(path.id)
    // No median is more than twice the mean: most paths are out before anything is sorted.
    if (claimed.has(path.id) || means.share < STEADY || 2 * means.selfNs < HOT_BY_CALLS * budgetNs) return []
    // Of the usual frame: a few bad ones must not make a floor.
    const selfNs = usualSelfNs(evidence, course)
    const each = selfNs / means.calls
    const often = means.calls >= MANY_CALLS && each <= SHORT_RUN * budgetNs
    // Not so either where there is no normal frame to judge by.
    if (!(selfNs >= (often ? HOT_BY_CALLS : HOT) * budgetNs)) return []
    const name = evidence.names(path.id).at(-1)!
    const remedies: RemedyKind[] = often
      ? ['one-manager', 'stagger', 'sleep', 'jobs', 'by-hand']
      : ['timer', 'stagger', 'jobs', 'slice', 'by-hand']
    return {
      kind: 'hotspot',
      path: path.id,
      text:
        `${name} itself takes ${costWords(evidence, selfNs)}: ${amount(means.calls)} ${means.calls === 1 ? 'run' : 'runs'} of ${msOf(each)}. ` +
        (often
          ? 'None of them is slow; there are many.'
          : means.calls <= 2
            ? 'It is slow, not called too often.'
            : 'Both add up.'),
      ...floorCosts(selfNs),
      confidence: 'high',
      because: `the median of all normal frames; it ran in ${share(means.share)} of ${plural(count, 'frame')}`,
      frames: worstFrames(course.frame, course.selfNs),
      remedies,
      view: 'ledger',
      subject: '',
      gauge: null,
    }
  })

function usualSelfNs({ count, isNormal }: Evidence, course: PathCourse): number {
  return median(dense(course, 'selfNs', count).filter((_, frame) => isNormal[frame] === 1))
}

export const kind: Kind = {
  name: 'hotspot',
  order: 18,
  words: 'takes much of every frame',
  found: `by the _median_ of the normal frames: self time of ${part(HOT)} of the budget, or of ${part(HOT_BY_CALLS)} in ${MANY_CALLS} runs or more of which none is slow`,
  cost: 'that median',
  claims: true,
  limits: { HOT, HOT_BY_CALLS, MANY_CALLS, SHORT_RUN, STEADY },
  detect: hotspots,
}
