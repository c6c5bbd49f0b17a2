import { sum } from '../../stats/index.ts'
import type { Evidence } from '../gather-evidence.ts'
import { costsOf, worstFrames, type Detector, type Kind } from '../finding.ts'
import { costWords, msOf, part, plural } from '../sentences.ts'

/** Paths that each cost no more than this share of the budget … */
const SMALL = 0.02
/** … are so many under one … */
const LEAST_PATHS = 20
/** … and make up this share of the budget together. */
const LEAST_SUM = 0.2

/** Many small costs under one marker: none is worth a word, all of them are. */
const spreadThin: Detector = (evidence, claimed) => {
  const small = evidence.work.filter(({ path }) => {
    const { selfNs } = evidence.means(path.id)
    return !claimed.has(path.id) && selfNs > 0 && selfNs <= SMALL * evidence.budgetNs
  })
  const below = new Map<number, number[]>()
  for (const { path } of small)
    for (const above of evidence.study.paths.chain(path.id).slice(0, -1))
      below.set(above, [...(below.get(above) ?? []), path.id])
  const thin = [...below].filter(([, paths]) => isThin(evidence, paths))
  // The innermost tells best where it is.
  const innermost = thin.filter(
    ([above, paths]) =>
      !thin.some(
        ([other, fewer]) =>
          other !== above && fewer.length <= paths.length && isAbove(evidence, above, other),
      ),
  )
  return innermost.map(([above, paths]) => {
    const { count, budgetNs } = evidence
    const sumNs = paths.reduce((total, path) => total + evidence.means(path).selfNs * count, 0)
    const course = evidence.study.courses.get(above)!
    const largest = paths.reduce((a, b) => (evidence.means(b).selfNs > evidence.means(a).selfNs ? b : a))
    return {
      kind: 'spread-thin',
      path: above,
      text:
        `${evidence.names(above).at(-1)} holds ${plural(paths.length, 'path')} that are small each, ${msOf(SMALL * budgetNs)} a frame at most, and come to ${costWords(evidence, sumNs / count)} together. ` +
        `The largest is ${evidence.names(largest).at(-1)} with ${msOf(evidence.means(largest).selfNs)}.`,
      ...costsOf(evidence, { sumNs, strikes: course.frame.length, trouble: 'floor' }),
      confidence: 'high',
      because: `the own times of ${plural(paths.length, 'path')} are added up; none of them is in another finding`,
      frames: worstFrames(course.frame, course.totalNs),
      remedies: ['one-manager', 'jobs', 'by-hand'],
      view: 'ledger',
      subject: '',
      load: null,
    }
  })
}

function isThin(evidence: Evidence, paths: readonly number[]): boolean {
  if (paths.length < LEAST_PATHS) return false
  return sum(paths.map((path) => evidence.means(path).selfNs)) >= LEAST_SUM * evidence.budgetNs
}

const isAbove = ({ study }: Evidence, above: number, path: number): boolean =>
  study.paths.chain(path).slice(0, -1).includes(above)

export const kind: Kind = {
  name: 'spread-thin',
  order: 20,
  words: 'many small costs',
  found: `${LEAST_PATHS} paths or more under one, each of ${part(SMALL)} of the budget at most and in no other finding, come to ${part(LEAST_SUM)} of it together; the innermost such marker is told`,
  cost: 'their own times',
  claims: false,
  limits: { SMALL, LEAST_PATHS, LEAST_SUM },
  detect: spreadThin,
}
