import { sum } from '../../stats/index.ts'
import { costsOf, worstFrames, type Detector, type Kind } from '../finding.ts'
import { amount, msOf, overAll, plural, share, part } from '../sentences.ts'
import { stepFigures } from '../waiting.ts'

/** Frames with so many times the usual steps are catching up. */
const MULTIPLIED = 3
/** Above this the steps take nearly all the time there is. */
const NEARLY_FULL = 0.8

/** Fixed steps that multiply after a long frame, and make the next one long too. */
const catchUp: Detector = (evidence) => {
  const { study } = evidence
  const figures = stepFigures(evidence)
  if (figures === null) return []
  const { path, costNs, usual, utilisation } = figures
  const { steps } = study.frames
  const base = Math.max(1, usual)
  const multiplied = [...steps.keys()].filter((frame) => steps[frame]! >= MULTIPLIED * base)
  if (multiplied.length === 0 && utilisation < NEARLY_FULL) return []
  const extra = multiplied.map((frame) => (steps[frame]! - base) * costNs)
  const meanExtraNs = sum(extra) / Math.max(1, extra.length)
  const name = path === null ? 'The fixed step' : evidence.names(path).at(-1)!
  const most = multiplied.reduce((a, frame) => Math.max(a, steps[frame]!), 0)
  return [
    {
      kind: 'catch-up',
      path,
      text:
        `${name} runs ${amount(base)} times in a usual frame, but up to ${amount(most)} times in ${plural(multiplied.length, 'frame')} after a long one` +
        (path === null
          ? '. What a step costs is not known: mark it.'
          : `: ${msOf(meanExtraNs)} more in these, at ${msOf(costNs)} a step. A step takes ${share(utilisation)} of the time it stands for; ` +
            (utilisation >= NEARLY_FULL
              ? 'at 100 % the game never catches up.'
              : 'a limit a frame would keep the frames short.') +
            ` ${overAll(evidence, meanExtraNs, multiplied.length)}`),
      ...costsOf(evidence, { sumNs: sum(extra), strikes: multiplied.length }),
      confidence: path === null ? 'low' : 'high',
      because:
        path === null
          ? 'steps are counted, but no marker runs once for each, so that their cost is not known'
          : 'the marker runs exactly once for each step that the game reports',
      frames: worstFrames(multiplied, extra),
      remedies: ['limit-steps', 'slice', 'jobs'],
      view: 'waiting',
      subject: '',
      load: null,
    },
  ]
}

export const kind: Kind = {
  name: 'catch-up',
  order: 11,
  words: 'steps that pile up',
  found: `frames run ${MULTIPLIED} times the usual number of fixed steps, or a step takes ${part(NEARLY_FULL)} of the time it stands for`,
  cost: 'additional steps × cost of a step',
  claims: true,
  limits: { MULTIPLIED, NEARLY_FULL },
  detect: catchUp,
}
