/** Takes before set against takes after: what changed, by how much, how surely, at equal speed of the machine. */
import { tellComparison, VERDICTS } from '../../compare/index.ts'
import { LAWS } from '../../detect/index.ts'
import type { Study } from '../../study/index.ts'
import { anyNumber, list, number, object, oneOf, orNone, rows, text, truth, whole } from '../shape.ts'
import { takesQuestion, type TakesAnswer } from '../takes-question.ts'

const DIFFERENCE = {
  difference: number('after less before, times at equal speed of the machine'),
  low: anyNumber('of its 95 % interval; null where it is open'),
  high: anyNumber('of its 95 % interval'),
  verdict: oneOf(VERDICTS, 'of after; `same` where the interval lies within 1 % of the budget'),
  secondsMore: orNone(
    number('of recording on each side until it is sure; 0 where it is, null where nobody can tell', 's'),
  ),
}

const PATH_SIDE = {
  callsPerFrame: number('runs a frame'),
  msPerCall: number('own time of a run, as recorded', 'ms'),
  msPerFrame: number('own time a frame, as recorded', 'ms'),
  bytesPerFrame: orNone(number('allocated by its own; null where bytes were not recorded', 'bytes')),
  needlessPerFrame: number('runs a frame that said that they changed nothing'),
}

const LOAD = {
  name: text('of the gauge, or of what is counted'),
  before: number('middle over the frames'),
  after: number('middle over the frames'),
  msPerBefore: number('work of a frame by one of the load', 'ms'),
  msPerAfter: number('the same after, at equal speed of the machine', 'ms'),
  law: orNone(oneOf(LAWS, 'that the work followed before; null where it hardly followed the load')),
  explainedMs: orNone(
    number('that the other load costs more by that law, a frame; null without a law', 'ms'),
  ),
}

const PATH = {
  path: list(text(''), 'names of its markers'),
  lane: text('its lane'),
  pathBefore: orNone(whole('its number in the first take before that has it')),
  pathAfter: orNone(whole('its number in the first take after that has it')),
  before: object(PATH_SIDE, 'what it was'),
  after: object(PATH_SIDE, 'what it is'),
  ...DIFFERENCE,
  fromRunsMs: number('of the difference: from more or fewer runs', 'ms'),
  fromCostMs: number('of the difference: from dearer or cheaper ones', 'ms'),
  change: oneOf(['both', 'appeared', 'vanished'], 'on which side it is'),
  movedFrom: list(text(''), 'where the same marker ran before, under another caller; empty where nowhere'),
}

export const COMPARISON = takesQuestion({
  name: 'comparison',
  version: 1,
  about: 'Takes before set against takes after.',
  at: 'comparisons',
  tells: {
    alike: object(
      { differences: list(text(''), 'of their conditions, but for the build') },
      'how like they are',
    ),
    loads: rows(LOAD, 'that are not alike'),
    speed: object(
      {
        ratio: number('how many times as long unchanged work takes after'),
        low: anyNumber('of its 95 % interval; null where it is open'),
        high: anyNumber('of its 95 % interval'),
        telling: whole('paths that tell; 0 where too few do, and nothing is taken out'),
      },
      'of the machine',
    ),
    paired: truth('whether both are the same run, and were compared frame by frame'),
    blockFrames: number('that hang together, and are drawn as one', 'frames'),
    frames: rows(
      {
        figure: text(
          '`mean`, `p50`, `p95`, `p99` and `overTime` in ms; `over`, `late`, `held` and `collections` of 1,000 frames; `bytes`',
        ),
        before: number('as recorded'),
        after: number('as recorded'),
        ...DIFFERENCE,
      },
      'of whole frames',
    ),
    paths: rows(PATH, 'own time, ms a frame; those that changed most first'),
    seconds: object({ before: number('', 's'), after: number('', 's') }, 'recorded on each side'),
    sentence: text('what it comes to'),
  },
  answer: (before: Study[], after: Study[]) => tellComparison(before, after),
})

/** A comparison as it is told: on the command line, over HTTP, on the screen. */
export type ComparisonAnswer = TakesAnswer<typeof COMPARISON>
