/** Takes before and after as a report. */
import {
  causeWords,
  figureWords,
  LOAD_HEADS,
  loadCells,
  tellComparison,
  VERDICT_WORDS,
  type ComparisonTold,
} from '../compare/index.ts'
import type { Study } from '../study/index.ts'
import { dateTime, ms, plural, signed, three } from '../words/index.ts'
import type { Block, Report } from './blocks.ts'
import { differencesPicture, stripPicture } from './pictures.ts'
import { titleOf, type TakeTitle } from './of-take.ts'

/** A take with what it is called. */
export interface Titled {
  title: TakeTitle
  study: Study
}

const MOST_PATHS = 40
const DRAWN_PATHS = 14

export function reportOfComparison(before: readonly Titled[], after: readonly Titled[]): Report {
  const studies = (side: readonly Titled[]) => side.map(({ study }) => study)
  const told = tellComparison(studies(before), studies(after))
  const names = (side: readonly Titled[]) =>
    side.map(({ title }) => `${titleOf(title)}, ${dateTime(title.started)}`).join('; ')
  const budgetMs = 1000 / before[0]!.study.target
  const strip = (side: readonly Titled[], words: string): Block => ({
    picture: stripPicture(joined(side), budgetMs, words),
    words,
  })
  return {
    title: `Comparison: ${before[0]!.title.game}`,
    about: `Before: ${names(before)}. After: ${names(after)}.`,
    blocks: [
      { lead: told.sentence },
      ...(told.alike.differences.length === 0
        ? []
        : [{ text: `Not alike: ${told.alike.differences.join('; ')}.` }]),
      strip(before, 'Work of all frames before.'),
      strip(after, 'Work of all frames after.'),
      ...(told.loads.length === 0
        ? []
        : [{ heading: 'Loads that differ' }, { heads: LOAD_HEADS, rows: told.loads.map(loadCells) }]),
      ...figureBlocks(told),
      ...pathBlocks(told),
    ],
  }
}

function joined(side: readonly Titled[]): Float64Array {
  const all = new Float64Array(side.reduce((sum, { study }) => sum + study.frames.workNs.length, 0))
  let at = 0
  for (const { study } of side) {
    all.set(study.frames.workNs, at)
    at += study.frames.workNs.length
  }
  return all
}

const rangeWords = (low: number, high: number, of: (value: number) => string) =>
  `${signed(low, of)} to ${signed(high, of)}`

function figureBlocks({ frames }: ComparisonTold): Block[] {
  return [
    { heading: 'Frames' },
    {
      heads: ['figure', 'before', 'after', 'difference, at equal speed', '95 % interval', ''],
      rows: frames.map(({ figure, before, after, difference, low, high, verdict }) => {
        const { words, of } = figureWords(figure)
        return [
          words,
          of(before),
          of(after),
          signed(difference, of),
          rangeWords(low, high, of),
          VERDICT_WORDS[verdict],
        ]
      }),
    },
  ]
}

function pathBlocks({ paths, speed, seconds, paired }: ComparisonTold): Block[] {
  const shown = paths.slice(0, MOST_PATHS)
  const drawn = shown
    .slice(0, DRAWN_PATHS)
    .map(({ path, difference, low, high }) => ({ name: path.join(' › '), difference, low, high }))
  const machine =
    speed.telling === 0
      ? 'Too few paths tell how fast the machine was: nothing is taken out.'
      : `Unchanged code took ${three(speed.ratio)} × as long after (${three(speed.low)} to ${three(speed.high)}, told by ${plural(speed.telling, 'path')}); differences are at equal speed.`
  return [
    { heading: 'Paths, those that changed most first' },
    {
      picture: differencesPicture(drawn, 'ms', 'Differences of paths'),
      words: 'Own time a frame at equal speed of the machine, after less before, with its 95 % interval.',
    },
    {
      heads: ['path', 'before', 'after', 'difference', '95 % interval', '', 'why'],
      rows: shown.map((row) => [
        row.path.join(' › '),
        ms(row.before.msPerFrame),
        ms(row.after.msPerFrame),
        signed(row.difference, ms),
        rangeWords(row.low, row.high, three),
        VERDICT_WORDS[row.verdict],
        causeWords(row),
      ]),
    },
    ...(paths.length > shown.length
      ? [{ text: `And ${plural(paths.length - shown.length, 'more path')}.` }]
      : []),
    {
      text: `${machine} ${paired ? 'Both are the same run, and are compared frame by frame. ' : ''}${three(seconds.before)} s before, ${three(seconds.after)} s after.`,
    },
  ]
}
