/** Everything that runs regularly: does it need to? */
import { question, type Answer } from '../question.ts'
import { rows } from '../shape.ts'
import { ROSTER_ROW, rosterOf } from './roster.ts'

export { ROSTER_ROW, rosterOf, type RosterRow } from './roster.ts'

export const ROSTER = question({
  name: 'roster',
  version: 1,
  about:
    'Everything that runs in nearly every frame or at a steady interval, and what says that it need not.',
  at: 'roster',
  ofFrames: true,
  asks: {},
  tells: { rows: rows(ROSTER_ROW, 'updaters first, then markers, each by what they cost') },
  answer: async (source) => ({ rows: rosterOf(await source.evidence()) }),
})

export type RosterAnswer = Answer<typeof ROSTER>
