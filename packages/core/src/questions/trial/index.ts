/** Variants of the same code that were used in turn, set against each other. */
import { trialResult, trialsOf, VERDICTS, type TrialResult } from '../../compare/index.ts'
import { pathNames, type Study } from '../../study/index.ts'
import { question, WrongAsk, type Answer } from '../question.ts'
import { anyNumber, list, number, oneOf, optional, orNone, rows, text, whole, type Told } from '../shape.ts'
import { trialSentence } from './sentence.ts'

const DIFFERENCE = {
  before: number('with the first variant'),
  after: number('with this one'),
  difference: number('after less before'),
  low: anyNumber('of its 95 % interval, from the differences within each round; null where it is open'),
  high: anyNumber('of its 95 % interval'),
  verdict: oneOf(VERDICTS, 'of this variant; `same` where the interval lies within 1 % of the budget'),
  secondsMore: orNone(
    number('of recording until it is sure; 0 where it is, null where nobody can tell', 's'),
  ),
}

const RESULT = {
  variant: text('set against the first'),
  sentence: text('what it comes to'),
  frames: rows(
    {
      figure: text('`work` and `duration` in ms a frame, `over` in frames of 1,000'),
      ...DIFFERENCE,
    },
    'of whole frames',
  ),
  paths: rows(
    {
      pathId: whole('number of the path'),
      path: list(text(''), 'names of its markers'),
      lane: text('its lane'),
      callsBefore: number('runs a frame with the first variant'),
      callsAfter: number('runs a frame with this one'),
      ...DIFFERENCE,
    },
    'own time, ms a frame; those that changed most first',
  ),
}

export const TRIAL_TELLS = {
  trials: list(text(''), 'names of all trials of the take'),
  name: orNone(text('of the one that is told; null where the take has none')),
  variants: list(text(''), 'the first is the one that others are set against'),
  counted: list(whole(''), 'frames of each variant that count'),
  rounds: whole('neighbouring blocks with one of each variant'),
  blockFrames: number('of a block, those left out not among them', 'frames'),
  results: rows(RESULT, 'one for each variant but the first'),
}
export type TrialTold = Told<typeof TRIAL_TELLS>

function told(study: Study, result: TrialResult, trials: string[]): TrialTold {
  const { name, variants, counted, rounds, blockFrames, results } = result
  const laneOf = (path: number) => study.declarations.lane(study.paths.get(path).lane).name
  return {
    ...{ trials, name, variants, counted, rounds, blockFrames },
    results: results.map((one) => ({
      variant: variants[one.variant]!,
      sentence: trialSentence(study, result, one),
      frames: one.frames,
      paths: one.paths.map(({ path, ...rest }) => ({
        ...{ pathId: path, path: pathNames(study, path), lane: laneOf(path) },
        ...rest,
      })),
    })),
  }
}

export const TRIAL = question({
  name: 'trial',
  version: 1,
  about: 'Variants of the same code that were used in turn, set against each other.',
  at: 'trial',
  ofFrames: true,
  asks: { trial: optional(text('its name; the first one without')) },
  tells: TRIAL_TELLS,
  async answer(source, { trial }) {
    const study = await source.study()
    const all = trialsOf(study)
    const names = all.map(({ name }) => name)
    const found = trial === undefined ? all[0] : all.find(({ name }) => name === trial)
    if (found !== undefined) return told(study, trialResult(study, found), names)
    if (trial === undefined)
      return { trials: [], name: null, variants: [], counted: [], rounds: 0, blockFrames: 0, results: [] }
    throw new WrongAsk(
      'trial',
      `the take has no trial "${trial}"; there are: ${names.join(', ') || 'none'}`,
      true,
    )
  },
})

export type TrialAnswer = Answer<typeof TRIAL>
