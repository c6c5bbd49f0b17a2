import { mean, median, sum } from '../../stats/index.ts'
import { dense, type PathCourse } from '../../study/index.ts'
import type { Evidence } from '../gather-evidence.ts'
import { costsOf, worstFrames, type Detector, type Kind, type RemedyKind } from '../finding.ts'
import { amount, costWords, msOf, plural, share, part } from '../sentences.ts'

/** A path alone takes at least this share of the budget. */
const HOT = 0.1
/** Or this share, in so many runs a frame that each is short: the calls themselves are the cost. */
const HOT_BY_CALLS = 0.05
const MANY_CALLS = 100
const SHORT_RUN = 0.002

/** Or this often it is heavy, and in the other frames light. */
const OFTEN = 0.3
/** Light is below this share of hot. */
const LIGHT = 0.5

/** Paths that take much of every frame, and of which nothing more particular is known. */
const hotspots: Detector = (evidence, claimed) =>
  evidence.work.flatMap(({ path, course }) => {
    const { budgetNs, count } = evidence
    const means = evidence.means(path.id)
    // No median is more than twice the mean: most paths are out before anything is sorted.
    if (claimed.has(path.id) || 2 * means.selfNs < HOT_BY_CALLS * budgetNs) return []
    // Of the usual frame: a few bad ones must not make a floor.
    const selfNs = usualSelfNs(evidence, course)
    // And a machine that was slower for a while is no reason either.
    const evenNs = usualSelfNs(evidence, evidence.even().study.courses.get(path.id)!)
    const each = means.selfNs / means.calls
    const often = means.calls >= MANY_CALLS && each <= SHORT_RUN * budgetNs
    // Not so either where there is no normal frame to judge by.
    const heavy = heavyFrames(evidence, course)
    const isSteady = Math.min(selfNs, evenNs) >= (often ? HOT_BY_CALLS : HOT) * budgetNs
    const isOften = heavy.length >= OFTEN * evidence.normalFrames && selfNs < HOT * budgetNs * LIGHT
    if (!isSteady && !isOften) return []
    const normal = normalSelf(evidence, course)
    const name = evidence.names(path.id).at(-1)!
    const remedies: RemedyKind[] = often
      ? ['one-manager', 'stagger', 'sleep', 'jobs', 'by-hand']
      : ['timer', 'stagger', 'jobs', 'slice', 'by-hand']
    return {
      kind: 'hotspot',
      path: path.id,
      text:
        `${name} itself takes ${costWords(evidence, normal.sumNs / count)}: ${amount(means.calls)} ${means.calls === 1 ? 'run' : 'runs'} of ${msOf(each)}. ` +
        (isSteady
          ? ''
          : `It is heavy in ${share(heavy.length / evidence.normalFrames)} of the frames, ${msOf(mean(heavy))} in each. `) +
        (often
          ? 'None of them is slow; there are many.'
          : means.calls <= 2
            ? 'It is slow, not called too often.'
            : 'Both add up.'),
      ...costsOf(evidence, { sumNs: normal.sumNs, strikes: normal.frames, trouble: 'floor' }),
      confidence: 'high',
      because: `judged by the median of all normal frames, told by their mean; it ran in ${share(means.share)} of ${plural(count, 'frame')}`,
      frames: worstFrames(course.frame, course.selfNs),
      remedies,
      view: 'ledger',
      subject: '',
      load: null,
    }
  })

/** Own times of the normal frames in which it is hot, ns. */
const heavyFrames = ({ isNormal, budgetNs }: Evidence, { frame, selfNs }: PathCourse): Float64Array =>
  selfNs.filter((ns, cell) => isNormal[frame[cell]!] === 1 && ns >= HOT * budgetNs)

function normalSelf(
  { isNormal }: Evidence,
  { frame, selfNs }: PathCourse,
): { sumNs: number; frames: number } {
  const normal = selfNs.filter((_, cell) => isNormal[frame[cell]!] === 1)
  return { sumNs: sum(normal), frames: normal.length }
}

function usualSelfNs({ count, isNormal }: Evidence, course: PathCourse): number {
  return median(dense(course, 'selfNs', count).filter((_, frame) => isNormal[frame] === 1))
}

export const kind: Kind = {
  name: 'hotspot',
  order: 18,
  words: 'takes much of every frame',
  found: `by the _median_ of the normal frames: self time of ${part(HOT)} of the budget, or of ${part(HOT_BY_CALLS)} in ${MANY_CALLS} runs or more of which none is slow; or ${part(HOT)} in ${part(OFTEN)} of the frames, and hardly anything in the others`,
  cost: 'own time in the normal frames',
  claims: true,
  limits: { HOT, HOT_BY_CALLS, MANY_CALLS, SHORT_RUN, OFTEN, LIGHT },
  detect: hotspots,
}
