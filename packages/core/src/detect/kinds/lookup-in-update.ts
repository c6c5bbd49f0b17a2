import { SEARCH_TAG } from '../../format/index.ts'
import { sum } from '../../stats/index.ts'
import { costsOf, worstFrames, type Detector, type Kind } from '../finding.ts'
import { amount, costWords, msOf, plural, share, part } from '../sentences.ts'

/** A search that runs in fewer frames than this is no part of the steady state. */
const STEADY = 0.3

/** Markers tagged as searches that run all the time. */
const lookupsInUpdates: Detector = (evidence) =>
  evidence.work.flatMap(({ path, course }) => {
    const { name, tags } = evidence.study.declarations.marker(path.marker)
    const means = evidence.means(path.id)
    if (!tags.includes(SEARCH_TAG) || means.share < STEADY) return []
    const each = means.totalNs / means.calls
    return {
      kind: 'lookup-in-update',
      path: path.id,
      text:
        `${name} searches ${amount(means.calls)} times a frame at ${msOf(each)} each: ${costWords(evidence, means.totalNs)}. ` +
        `Kept from once, the answer would cost next to nothing.`,
      ...costsOf(evidence, { sumNs: sum(course.totalNs), strikes: course.frame.length, trouble: 'floor' }),
      confidence: 'high',
      because: `the game tags it as a search, and it ran in ${share(means.share)} of ${plural(evidence.count, 'frame')}`,
      frames: worstFrames(course.frame, course.totalNs),
      remedies: ['cache', 'hoist', 'by-hand'],
      view: 'ledger',
      subject: '',
      load: null,
    }
  })

export const kind: Kind = {
  name: 'lookup-in-update',
  order: 2,
  words: 'searches in every update',
  found: `a marker tagged \`search\` runs in ${part(STEADY)} of the frames or more`,
  cost: 'its total',
  claims: true,
  limits: { STEADY },
  detect: lookupsInUpdates,
}
