import { pauseTotalNs } from '../collections.ts'
import { spikeCosts, worstFrames, type Detector, type Kind } from '../finding.ts'
import { allocationOf, collectionKinds } from '../memory.ts'
import { bytes as bytesWords } from '../../words/index.ts'
import { costWords, msOf, plural, share, three, part } from '../sentences.ts'

/** A pause is felt from this share of the budget on. */
const FELT = 0.1
const LEAST_FELT = 3

/** Collections that take a noticeable part of the frames they strike. */
const collectionPauses: Detector = (evidence) => {
  const { collections, budgetNs, count, study, seconds } = evidence
  const felt = collections.filter(({ pauseNs }) => pauseNs >= FELT * budgetNs)
  if (felt.length < LEAST_FELT) return []
  const { bytesPerSecond } = allocationOf(evidence)
  const meanNs = pauseTotalNs(felt) / felt.length
  const suspected = felt.some((collection) => collection.suspected)
  const blamed = collectionKinds(evidence)[0]?.blame[0]
  const over = felt.filter(({ frame }) => study.frames.workNs[frame]! > budgetNs).length
  return [
    {
      kind: 'collection-pauses',
      path: null,
      text:
        `${plural(felt.length, 'collection')} (${three((felt.length / seconds) * 60)} a minute) pause the game for ${msOf(meanNs)} on average, ` +
        `the worst for ${msOf(Math.max(...felt.map(({ pauseNs }) => pauseNs)))}; ${plural(over, 'frame')} of these are over budget. ` +
        `All collections: ${costWords(evidence, pauseTotalNs(collections) / count)}. ` +
        `${bytesWords(Math.round(bytesPerSecond))} are allocated each second` +
        (blamed === undefined ? '.' : `, ${share(blamed.share)} by ${evidence.names(blamed.path).at(-1)}.`),
      ...spikeCosts(meanNs, felt.length, count),
      confidence: suspected ? 'low' : 'high',
      because: suspected
        ? 'falls of the heap are taken for collections; how long they took is not known'
        : 'the runtime reports its collections',
      frames: worstFrames(
        felt.map(({ frame }) => frame),
        felt.map(({ pauseNs }) => pauseNs),
      ),
      remedies: ['pool', 'reuse'],
      view: 'memory',
      subject: '',
      gauge: null,
    },
  ]
}

export const kind: Kind = {
  name: 'collection-pauses',
  order: 10,
  words: 'collections pause the game',
  found: `${LEAST_FELT} collections or more take ${part(FELT)} of the budget each`,
  cost: 'the pauses',
  claims: false,
  limits: { FELT, LEAST_FELT },
  detect: collectionPauses,
}
