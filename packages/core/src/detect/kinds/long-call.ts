import { median, sum } from '../../stats/index.ts'
import { costsOf, worstFrames, type Detector, type Kind } from '../finding.ts'
import { causesOfFamilies } from '../families.ts'
import { msOf, overAll, plural, rate, share, part } from '../sentences.ts'

/** One run takes at least this share of the budget. */
const LEAST_RUN = 0.25
/** What runs in more frames than this is a matter of the floor. */
const MOST_FRAMES = 0.5
const LEAST_RUNS = 3

/** Single runs that take a large part of the frame they fall into. */
const longCalls: Detector = (evidence, claimed) => {
  const inFamilies = causesOfFamilies(evidence.families)
  return evidence.work.flatMap(({ path, course }) => {
    const { budgetNs, count, seconds } = evidence
    if (claimed.has(path.id) || inFamilies.has(path.id)) return []
    if (course.frame.length < LEAST_RUNS || course.frame.length > MOST_FRAMES * count) return []
    const perRun = median(course.selfNs.map((ns, cell) => ns / course.calls[cell]!))
    if (perRun < LEAST_RUN * budgetNs) return []
    const name = evidence.names(path.id).at(-1)!
    const whereNs = sum(course.selfNs) / course.frame.length
    return {
      kind: 'long-call',
      path: path.id,
      text:
        `One run of ${name} takes ${msOf(perRun)} by itself, ${share(perRun / budgetNs)} of the budget. It runs ${rate(course.frame.length / seconds)}; ` +
        `in the other frames it costs nothing. It is slow, not called too often. ${overAll(evidence, whereNs, course.frame.length)}`,
      ...costsOf(evidence, { sumNs: sum(course.selfNs), strikes: course.frame.length }),
      confidence: course.frame.length >= 5 ? 'high' : 'medium',
      because: `the median of ${plural(course.frame.length, 'frame')} in which it ran`,
      frames: worstFrames(course.frame, course.selfNs),
      remedies: ['slice', 'jobs', 'timer', 'by-hand'],
      view: 'page',
      subject: '',
      load: null,
    }
  })
}

export const kind: Kind = {
  name: 'long-call',
  order: 17,
  words: 'single long runs',
  found: `the median run takes ${part(LEAST_RUN)} of the budget, ${LEAST_RUNS} times or more, in at most ${part(MOST_FRAMES)} of the frames`,
  cost: 'the run',
  claims: true,
  limits: { LEAST_RUN, MOST_FRAMES, LEAST_RUNS },
  detect: longCalls,
}
