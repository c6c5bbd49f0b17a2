/** A comparison as it is told: on the command line, over HTTP, on the screen. */
import type { Study } from '../study/index.ts'
import { ms, percent, saidIn, signed, tableLines, three, waitWords } from '../words/index.ts'
import { compareTakes, type Comparison } from './comparison.ts'
import type { FrameRow } from './frame-rows.ts'
import type { PathRow } from './path-rows.ts'
import { differencesOf } from './likeness.ts'
import { perLoadRows, type LoadRow } from './per-load.ts'

/** Its columns have their meaning in the question. */
export interface ComparisonTold extends Comparison {
  alike: { differences: string[] }
  /** Loads that are not alike. */
  loads: LoadRow[]
  sentence: string
}

/** Speeds that differ by less than this are the same. */
const SAME_SPEED = 0.03
/** Of paths that surely changed so many are named. */
const NAMED = 2

/** @param before as they were recorded; judged by the target of the first @throws RangeError for what cannot be compared */
export function tellComparison(before: Study[], after: Study[]): ComparisonTold {
  const comparison = compareTakes(before, after)
  // Another build is what was to be compared.
  const differences = before.flatMap((one) => after.flatMap((other) => differencesOf(one, other)))
  const unlike = [...new Set(differences)].filter((words) => !words.startsWith('build: '))
  const loads = perLoadRows(before, after, comparison.speed.ratio)
  return { alike: { differences: unlike }, loads, ...comparison, sentence: sentenceOf(comparison, loads) }
}

function sentenceOf({ speed, frames, paths }: Comparison, loads: readonly LoadRow[]): string {
  const mean = frames.find(({ figure }) => figure === 'mean')!
  const sure = paths.filter(({ verdict }) => verdict === 'better' || verdict === 'worse').slice(0, NAMED)
  return `${[frameWords(mean), ...sure.map(pathWords), ...loads.slice(0, 1).map(loadWords), speedWords(speed)].filter((part) => part !== '').join('; ')}.`
}

function frameWords({ difference, low, high, verdict, secondsMore }: FrameRow): string {
  if (verdict === 'same') return 'A frame takes as long as before, to 1 % of the budget'
  if (verdict === 'cannot-tell')
    return (
      `Whether a frame takes longer cannot be told (${three(low)} to ${three(high)} ms)` +
      (secondsMore === null ? '' : `: record about ${waitWords(secondsMore)} more on each side`)
    )
  return `${ms(Math.abs(difference))} a frame ${difference < 0 ? 'better' : 'worse'}, surely`
}

const pathWords = ({ path, difference, change, before, after }: PathRow): string => {
  const name = path.at(-1)
  if (change === 'appeared') return `${name} is new, ${ms(after.msPerFrame)}`
  if (change === 'vanished') return `${name} is gone, ${ms(before.msPerFrame)}`
  return `${name} is ${ms(Math.abs(difference))} ${difference < 0 ? 'better' : 'worse'}`
}

/** How much of the difference is only that there was more to do. */
function loadWords({ name, before, after, explainedMs }: LoadRow): string {
  const times = before > 0 && after > 0 ? `${three(after / before)} × as many ${name}` : `other ${name}`
  if (explainedMs === null) return `there were ${times} the second time`
  return `${times} explain ${ms(Math.abs(explainedMs))} ${explainedMs < 0 ? 'less' : 'more'} by the law they follow`
}

function speedWords({ ratio, telling }: Comparison['speed']): string {
  if (telling === 0) return 'how fast the machine was either time cannot be told, so nothing is taken out'
  if (Math.abs(ratio - 1) < SAME_SPEED) return 'the machine was as fast both times'
  const slower = ratio > 1
  return `the machine was ${three(slower ? ratio : 1 / ratio)} × ${slower ? 'slower' : 'faster'} the second time, taken out`
}

const FIGURE_WORDS: Record<string, { words: string; of: (value: number) => string }> = {
  mean: { words: 'work, mean', of: ms },
  p50: { words: 'work p50', of: ms },
  p95: { words: 'work p95', of: ms },
  p99: { words: 'work p99', of: ms },
  over: { words: 'frames over, of 1,000', of: three },
  overTime: { words: 'time over, a frame', of: ms },
  late: { words: 'frames late, of 1,000', of: three },
  held: { words: 'frames held, of 1,000', of: three },
  collections: { words: 'collections, of 1,000 frames', of: three },
  bytes: { words: 'allocated a frame, bytes', of: three },
}

export const figureWords = (figure: string): { words: string; of: (value: number) => string } =>
  FIGURE_WORDS[figure] ?? { words: figure, of: three }

export const VERDICT_WORDS = {
  better: 'better',
  worse: 'worse',
  same: 'the same',
  'cannot-tell': 'cannot tell',
} as const

/** Loads that differ, as rows of a table. */
export const LOAD_HEADS = [
  'load',
  'before',
  'after',
  'ms by one, before',
  'ms by one, after',
  'explains',
] as const
export const loadCells = ({
  name,
  before,
  after,
  msPerBefore,
  msPerAfter,
  law,
  explainedMs,
}: LoadRow): string[] => [
  name,
  three(before),
  three(after),
  three(msPerBefore),
  three(msPerAfter),
  explainedMs === null ? 'no law is known' : `${signed(explainedMs, ms)} a frame, by ${law}`,
]

/** Paths that a report for people names. */
const MOST_PATHS = 20

/** What changed, as tables of a report. @param markdown as Markdown tables; else in columns */
export function comparisonReport(told: ComparisonTold, markdown = false): string {
  const frames = told.frames.map((row) => {
    const { words, of } = figureWords(row.figure)
    return [
      words,
      of(row.before),
      of(row.after),
      signed(row.difference, of),
      intervalWords(row, of),
      verdictWords(row),
    ]
  })
  const paths = told.paths
    .filter(({ verdict }) => verdict === 'better' || verdict === 'worse')
    .slice(0, MOST_PATHS)
    .map((row) => [
      row.path.join(' > '),
      ms(row.before.msPerFrame),
      ms(row.after.msPerFrame),
      signed(row.difference, ms),
      intervalWords(row, ms),
      `${verdictWords(row)}: ${causeWords(row)}`,
    ])
  const heads = ['before', 'after', 'at equal speed', '95 % interval', '']
  const say = saidIn(markdown)
  return [
    say(told.sentence),
    '',
    ...told.alike.differences.map((words) => `${markdown ? '- ' : ''}not alike: ${say(words)}`),
    ...(told.alike.differences.length > 0 ? [''] : []),
    ...tableLines(['frames', ...heads], frames, markdown),
    '',
    ...(told.loads.length === 0
      ? []
      : [...tableLines([...LOAD_HEADS], told.loads.map(loadCells), markdown), '']),
    ...(paths.length === 0
      ? ['No path changed for sure.']
      : tableLines(['own time of paths, a frame', ...heads], paths, markdown)),
  ].join('\n')
}

const intervalWords = (
  { low, high }: { low: number; high: number },
  of: (value: number) => string,
): string =>
  Number.isFinite(low) && Number.isFinite(high) ? `${signed(low, of)} to ${signed(high, of)}` : 'open'

const verdictWords = ({ verdict, secondsMore }: Pick<FrameRow, 'verdict' | 'secondsMore'>): string =>
  verdict === 'cannot-tell' && secondsMore !== null
    ? `cannot tell: record ${waitWords(secondsMore)} more`
    : VERDICT_WORDS[verdict]

/** Whether it runs more often, or is dearer. */
export function causeWords(row: PathRow): string {
  const { change, before, after, fromRunsMs, fromCostMs, movedFrom, verdict } = row
  if (change === 'appeared')
    return movedFrom.length > 0 ? `moved here from ${movedFrom.join(' > ')}` : 'it is new'
  if (change === 'vanished') return 'it is gone'
  const [one, other] = [three(before.callsPerFrame), three(after.callsPerFrame)]
  if (one === other) {
    const isSure = verdict === 'better' || verdict === 'worse'
    return `${one} runs a frame as before${isSure ? `, each ${fromCostMs < 0 ? 'cheaper' : 'dearer'}` : ''}`
  }
  const all = Math.abs(fromRunsMs) + Math.abs(fromCostMs)
  return `${one} to ${other} runs a frame; ${percent(all > 0 ? Math.abs(fromRunsMs) / all : 0)} of the difference by their number`
}
