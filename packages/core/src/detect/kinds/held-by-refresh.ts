import type { Detector } from '../finding.ts'
import { heldBy } from '../held.ts'

/** Late frames that wait for a refresh they should have made, or were woken late from. */
export const heldByRefresh: Detector = (evidence) =>
  heldBy(evidence, 'refresh', {
    kind: 'held-by-refresh',
    advice: 'A refresh was missed, or the game was woken late from it.',
    remedies: ['by-hand', 'limit-steps'],
  })
