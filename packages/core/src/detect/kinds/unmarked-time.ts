import { median } from '../../stats/index.ts'
import { OUTSIDE } from '../../words/index.ts'
import { costsOf, worstFrames, type Detector, type Kind } from '../finding.ts'
import { costWords, msOf, part, share } from '../sentences.ts'

/** Less of the budget is what lies between any markers. */
const LEAST_SHARE = 0.2

/** Much of every frame lies in no marker: nothing can be said of it. */
const unmarkedTime: Detector = (evidence) => {
  const { unmarkedNs, isNormal, budgetNs, study, count, normalFrames } = evidence
  const normal = unmarkedNs.filter((_, frame) => isNormal[frame] === 1)
  const usualNs = median(normal)
  if (!(usualNs >= LEAST_SHARE * budgetNs)) return []
  const sumNs = normal.reduce((sum, ns) => sum + ns, 0)
  const durationNs = median(study.frames.durationNs.filter((_, frame) => isNormal[frame] === 1))
  return [
    {
      kind: 'unmarked-time',
      path: null,
      text: `${msOf(usualNs)} of the usual frame’s ${msOf(durationNs)} lie in no marker: ${costWords(evidence, sumNs / count)}. Is the game waiting there? Mark it as a wait. Does it work? Mark what it does.`,
      ...costsOf(evidence, { sumNs, strikes: normalFrames, trouble: 'floor' }),
      confidence: 'low',
      because: `the time is measured, ${share(usualNs / durationNs)} of a frame; what it is, nothing tells`,
      frames: worstFrames(
        unmarkedNs.map((_, frame) => frame),
        unmarkedNs,
      ),
      remedies: ['by-hand'],
      view: 'page',
      subject: OUTSIDE,
      load: null,
    },
  ]
}

export const kind: Kind = {
  name: 'unmarked-time',
  order: 19,
  words: 'lies in no marker',
  found: `the median of the normal frames has ${part(LEAST_SHARE)} of the budget outside any marker of the main lane`,
  cost: 'that time',
  claims: false,
  limits: { LEAST_SHARE },
  detect: unmarkedTime,
}
