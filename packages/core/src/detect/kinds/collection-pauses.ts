import { pauseTotalNs, timesOf } from '../collections.ts'
import { costsOf, worstFrames, type Detector, type Kind } from '../finding.ts'
import { allocationOf, collectionKinds } from '../memory.ts'
import { bytes as bytesWords } from '../../words/index.ts'
import { amount, costWords, msOf, plural, share, three, part } from '../sentences.ts'

/** A pause is felt from this share of the budget on. */
const FELT = 0.1
const LEAST_FELT = 3

/** Collections that take a noticeable part of the frames they strike. */
const collectionPauses: Detector = (evidence) => {
  const { collections, budgetNs, count, study, seconds } = evidence
  const felt = collections.filter(({ pauseNs }) => pauseNs >= FELT * budgetNs)
  if (felt.length < LEAST_FELT) return []
  const { bytesPerSecond, allocatedFrom } = allocationOf(evidence)
  const times = timesOf(felt)
  const meanNs = pauseTotalNs(felt) / times
  const suspected = felt.some((collection) => collection.suspected)
  const blamed = collectionKinds(evidence)[0]?.blame[0]
  const over = felt.filter(({ frame }) => study.frames.workNs[frame]! > budgetNs).length
  return [
    {
      kind: 'collection-pauses',
      path: null,
      text:
        `${plural(times, 'collection')} (${three((times / seconds) * 60)} a minute) pause the game for ${msOf(meanNs)} on average, ` +
        `the worst for ${msOf(Math.max(...felt.map(({ pauseNs }) => pauseNs)))}; ${over === 1 ? '1 of these frames is' : `${amount(over)} of these frames are`} over budget. ` +
        `All collections: ${costWords(evidence, pauseTotalNs(collections) / count)}. ` +
        (allocatedFrom === 'nothing'
          ? 'How much is allocated is not recorded.'
          : `${bytesWords(Math.round(bytesPerSecond))} are allocated each second` +
            (blamed === undefined
              ? '.'
              : `, ${share(blamed.share)} by ${evidence.names(blamed.path).at(-1)}.`)),
      ...costsOf(evidence, {
        sumNs: pauseTotalNs(felt),
        strikes: new Set(felt.map(({ frame }) => frame)).size,
      }),
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
      load: null,
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
