import { sum } from '../../stats/index.ts'
import { costsOf, worstFrames, type Detector, type Kind } from '../finding.ts'
import { amount, costWords, plural, share, three, part } from '../sentences.ts'

/** Fewer repetitions than this share of the runs are a coincidence. */
const LEAST_SHARE = 0.2

/** The same question asked, and answered alike, more than once in a frame. */
const repeatedChecks: Detector = (evidence) =>
  evidence.work.flatMap(({ path, course }) => {
    if (course.details === null) return []
    const repeated = sum(course.details.repeated)
    const calls = sum(course.calls)
    if (repeated < LEAST_SHARE * calls || repeated === 0) return []
    const costNs = sum(course.details.repeatedNs) / evidence.count
    const { name } = evidence.study.declarations.marker(path.marker)
    const perFrame = calls / evidence.count
    return {
      kind: 'repeated-check',
      path: path.id,
      text:
        `${name} runs ${amount(perFrame)} times a frame, and ${three(repeated / evidence.count)} of these ask what was asked ` +
        `and answered alike in the same frame: ${costWords(evidence, costNs)}. ${three(perFrame - repeated / evidence.count)} would do.`,
      ...costsOf(evidence, {
        sumNs: sum(course.details.repeatedNs),
        strikes: course.details.repeated.filter((times) => times > 0).length,
      }),
      confidence: 'high',
      because: `the same key gave the same answer in ${share(repeated / calls)} of ${plural(calls, 'run')}`,
      frames: worstFrames(course.frame, course.details.repeatedNs),
      remedies: ['hoist', 'cache', 'react'],
      view: 'ledger',
      subject: '',
      load: null,
    }
  })

export const kind: Kind = {
  name: 'repeated-check',
  order: 3,
  words: 'asks the same again',
  found: `${part(LEAST_SHARE)} of the runs or more had a key that was asked, and answered alike, in the same frame`,
  cost: 'time of those runs',
  claims: true,
  limits: { LEAST_SHARE },
  detect: repeatedChecks,
}
