import { percentile } from '../../stats/index.ts'
import type { Evidence } from '../gather-evidence.ts'
import { costsOf, worstFrames, type Detector, type Kind } from '../finding.ts'
import { costWords, msOf, plural, share, part } from '../sentences.ts'
import { waitingPaths } from '../waiting.ts'

/** A wait is felt from this share of the budget on. */
const FELT = 0.05
const LEAST_FELT = 5

const mostlyWords = (evidence: Evidence, path: number | null): string =>
  path === null ? '' : `, most of it in ${evidence.names(path).join(' > ')}`

/** Frames that wait for work on another lane. */
const jobWaits: Detector = (evidence) =>
  waitingPaths(evidence).flatMap(({ path, reason, meanNs, waitedFor }) => {
    if (reason !== 'job') return []
    const { selfNs, frame } = evidence.study.courses.get(path)!
    const felt = [...selfNs.keys()].filter((cell) => selfNs[cell]! >= FELT * evidence.budgetNs)
    if (felt.length < LEAST_FELT) return []
    const other = waitedFor[0]
    const feltNs = felt.reduce((sum, cell) => sum + selfNs[cell]!, 0) / felt.length
    const name = evidence.names(path).at(-1)!
    return {
      kind: 'job-wait',
      path,
      text:
        `${name} waits for another lane in ${plural(frame.length, 'frame')}, ${msOf(percentile(selfNs, 0.5))} at the median, ` +
        `and for ${msOf(feltNs)} in the ${plural(felt.length, 'frame')} where it is felt: ${costWords(evidence, meanNs)}.` +
        (other === undefined
          ? ''
          : ` What ended last was ${other.marker} on ${other.lane}, ${plural(other.times, 'time')}${mostlyWords(evidence, other.mostly)}.`) +
        ` Make that job smaller, split it, start it earlier, or take its result a frame later.`,
      ...costsOf(evidence, { sumNs: feltNs * felt.length, strikes: felt.length }),
      confidence: other === undefined ? 'medium' : 'high',
      because:
        other === undefined
          ? 'the wait is measured; what it waited for is not told'
          : `the wait is measured, and ${share(other.times / frame.length)} of it ends with that job`,
      frames: worstFrames(frame, selfNs),
      remedies: ['shrink-job', 'split-job', 'start-earlier', 'join-later', 'by-hand'],
      view: 'waiting',
      subject: other?.marker ?? '',
      load: null,
    }
  })

export const kind: Kind = {
  name: 'job-wait',
  order: 14,
  words: 'waits for another lane',
  found: `a wait for a job takes ${part(FELT)} of the budget in ${LEAST_FELT} frames or more; says which job ended last`,
  cost: 'the wait, where it is felt',
  claims: true,
  limits: { FELT, LEAST_FELT },
  detect: jobWaits,
}
