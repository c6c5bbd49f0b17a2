/** How right a forecast was: figures before, as forecast, and as recorded with the fix, at equal speed of the machine. */
import {
  forecastPlan,
  pathFigures,
  weigh,
  type Base,
  type Figures,
  type Plan,
  type Ranges,
} from '../remedy/index.ts'
import type { Study } from '../study/index.ts'
import { ms, NONE, saidIn, sentence, tableLines, three } from '../words/index.ts'
import type { Comparison } from './comparison.ts'
import { differencesOf } from './likeness.ts'
import type { PathRow } from './path-rows.ts'
import { tellComparison, type ComparisonTold } from './told.ts'
import type { Verdict } from './verdict.ts'

/** What a plan was said to bring. */
export interface Foretold {
  before: Figures
  after: Figures
  /** Null where nobody weighed it. */
  ranges: Ranges | null
  /** Own time after the plan, ms a frame, by number of the path in the take before. */
  paths: ReadonlyMap<number, number>
  /** What the fix is about, and may itself change: classes and gauges by name. */
  subjects: readonly string[]
}

/** One value as it was before, was forecast, and came out. */
export interface Proved {
  before: number | null
  forecast: number | null
  /** The forecast's range; null where it has none. */
  low: number | null
  high: number | null
  /** As recorded. */
  after: number | null
  /** At equal speed of the machine. */
  even: number | null
  /** Forecast less what came out at equal speed; null where one is not known. */
  error: number | null
  /** Within the aim for forecasts; null where there is none for the figure. */
  near: boolean | null
  /** Whether what came out lies in the forecast's range; null where it has none. */
  inRange: boolean | null
  /** It went the other way, by more than the machine's own unrest. */
  isReversed: boolean
}

export interface ProofLine extends Proved {
  id: string
  words: string
  unit: 'ms' | 'frames' | 'count' | 'bytes'
}

export interface ProofPath extends Proved {
  path: string[]
  lane: string
  /** What the recordings say for themselves. */
  verdict: Verdict
}

export interface ProofTold {
  sentence: string
  lines: ProofLine[]
  /** Those that were to change, or surely did; those of which most was said first. */
  paths: ProofPath[]
  speed: Comparison['speed']
  /** What is not alike, in words, but for what the fix itself changes. */
  differences: string[]
}

/** The aim: within 15 %, or 0.3 ms. */
export const NEAR_SHARE = 0.15
export const NEAR_MS = 0.3
/** Paths that were said to change by less, ms a frame, were said to stay. */
const STAYS_MS = 0.02

export const isNear = (forecastMs: number, afterMs: number): boolean =>
  Math.abs(forecastMs - afterMs) <= Math.max(NEAR_MS, NEAR_SHARE * afterMs)

interface Line extends Pick<ProofLine, 'id' | 'words' | 'unit'> {
  pick(figures: Figures): number | null
  /** Of the forecast's range. */
  range?: { of: keyof Ranges; per1000?: true }
  judged?: true
}

const share = (of: number, frames: number) => (frames === 0 ? 0 : (of / frames) * 1000)

/** Ids are those of a comparison's figures. */
const LINES: Line[] = [
  {
    ...{ id: 'mean', words: 'work, mean', unit: 'ms', range: { of: 'meanMs' }, judged: true },
    pick: ({ meanMs }) => meanMs,
  },
  {
    ...{ id: 'p50', words: 'work p50', unit: 'ms', range: { of: 'p50' }, judged: true },
    pick: ({ frames }) => frames.work.p50,
  },
  {
    ...{ id: 'p95', words: 'work p95', unit: 'ms', range: { of: 'p95' }, judged: true },
    pick: ({ frames }) => frames.work.p95,
  },
  {
    ...{ id: 'p99', words: 'work p99', unit: 'ms', range: { of: 'p99' } },
    pick: ({ frames }) => frames.work.p99,
  },
  {
    ...{ id: 'over', words: 'frames over, of 1,000', unit: 'frames', range: { of: 'over', per1000: true } },
    pick: ({ frames }) => frames.overShare * 1000,
  },
  {
    ...{ id: 'late', words: 'frames late, of 1,000', unit: 'frames' },
    pick: ({ frames }) => share(frames.late, frames.frames),
  },
  {
    ...{ id: 'collections', words: 'collections, of 1,000 frames', unit: 'count' },
    pick: ({ collectionsPer1000 }) => collectionsPer1000,
  },
  {
    ...{ id: 'bytes', words: 'allocated a frame', unit: 'bytes' },
    pick: ({ bytesPerFrame }) => bytesPerFrame,
  },
]

/** Forecasts a plan, and holds that against what was recorded with it. @throws RangeError where they cannot be compared */
export function provePlan(base: Base, plan: Plan, after: Study[]): ProofTold {
  const { forecast, replay } = forecastPlan(base, plan, { withGains: false })
  const paths = pathFigures(base, replay)
  replay.release()
  const { ranges } = weigh(base, plan, forecast)
  const subjects = plan.items.map(({ subject }) => subject)
  return tellProof(base.study, after, { ...forecast, ranges, paths, subjects })
}

/**
 * @param before the frames that were planned on, judged as the plan was
 * @param after takes recorded with the fix, or the frames of a trial in which it was used
 * @throws RangeError where they cannot be compared
 */
export function tellProof(before: Study, after: Study[], foretold: Foretold): ProofTold {
  const comparison = tellComparison([before], after)
  const lines = proofLines(comparison, foretold)
  return {
    sentence: sentenceOf(lines, comparison),
    lines,
    paths: proofPaths(comparison, foretold.paths),
    speed: comparison.speed,
    differences: after
      .flatMap((other) => differencesOf(before, other, foretold.subjects))
      .filter((words, i, all) => all.indexOf(words) === i && !words.startsWith('build: ')),
  }
}

function proofLines({ frames }: Comparison, { before, after, ranges }: Foretold): ProofLine[] {
  return LINES.map(({ pick, range, judged = false, ...line }) => {
    const row = frames.find(({ figure }) => figure === line.id)
    const scale = range?.per1000 && after.frames.frames > 0 ? 1000 / after.frames.frames : 1
    const told = ranges === null || range === undefined ? null : ranges[range.of]
    return {
      ...line,
      ...proved({
        before: pick(before),
        forecast: pick(after),
        low: told === null ? null : told.low * scale,
        high: told === null ? null : told.high * scale,
        after: row?.after ?? null,
        even: row === undefined ? null : row.before + row.difference,
        judged,
      }),
    }
  })
}

function proofPaths({ paths }: Comparison, forecast: ReadonlyMap<number, number>): ProofPath[] {
  const said = (row: PathRow) =>
    row.pathBefore === null ? null : (forecast.get(row.pathBefore) ?? row.before.msPerFrame)
  const change = (row: PathRow) => Math.abs((said(row) ?? 0) - row.before.msPerFrame)
  return paths
    .filter((row) => change(row) > STAYS_MS || row.verdict === 'better' || row.verdict === 'worse')
    .sort((a, b) => change(b) - change(a))
    .map((row) => ({
      ...{ path: row.path, lane: row.lane, verdict: row.verdict },
      ...proved({
        before: row.before.msPerFrame,
        forecast: said(row),
        low: null,
        high: null,
        after: row.after.msPerFrame,
        even: row.before.msPerFrame + row.difference,
        judged: true,
      }),
    }))
}

function proved({
  judged,
  ...values
}: Omit<Proved, 'error' | 'near' | 'inRange' | 'isReversed'> & { judged: boolean }): Proved {
  const { forecast, even, low, high } = values
  const isKnown = forecast !== null && even !== null
  return {
    ...values,
    error: isKnown ? forecast - even : null,
    near: judged && isKnown ? isNear(forecast, even) : null,
    inRange: even === null || low === null || high === null ? null : even >= low && even <= high,
    isReversed: judged && hasWrongSign(values),
  }
}

function sentenceOf(lines: readonly ProofLine[], { frames, speed }: ComparisonTold): string {
  const mean = lines.find(({ id }) => id === 'mean')!
  const { before, forecast, even, inRange, low, high } = mean
  const row = frames.find(({ figure }) => figure === 'mean')!
  const brought = row.before - even!
  const surely = row.verdict === 'cannot-tell' ? ', which is not sure' : ', surely'
  const range = low === null || high === null ? '' : ` (${three(before! - high)} to ${three(before! - low)})`
  return sentence(
    [
      row.verdict === 'same'
        ? 'frames take as long with the fix, to 1 % of the budget'
        : brought >= 0
          ? `the fix brought ${ms(brought)} a frame${surely}`
          : `frames take ${ms(-brought)} longer with the fix${surely}`,
      `${ms(before! - forecast!)}${range} were forecast`,
      inRange === null
        ? ''
        : inRange
          ? 'what came out lies in its range'
          : 'what came out lies outside its range',
      speed.telling === 0 ? 'how fast the machine was either time cannot be told' : '',
    ]
      .filter((part) => part !== '')
      .join('; '),
  )
}

/** Both went the other way, by more than the machine's own unrest. */
export const hasWrongSign = ({
  before,
  forecast,
  even,
}: Pick<Proved, 'before' | 'forecast' | 'even'>): boolean =>
  before !== null &&
  forecast !== null &&
  even !== null &&
  Math.abs(even - before) > NEAR_MS &&
  Math.abs(forecast - before) > NEAR_MS &&
  (even - before) * (forecast - before) < 0

/** Where a proof is: a take, or the frames of one in which a trial used one of its variants. */
export interface ProofPlace {
  take: string
  /** `trial=variant`; null for all frames. */
  variant: string | null
}

/** Reads `TAKE` or `TAKE:TRIAL=VARIANT`. */
export function proofPlace(text: string): ProofPlace {
  const at = text.indexOf(':')
  return at < 0 ? { take: text, variant: null } : { take: text.slice(0, at), variant: text.slice(at + 1) }
}

export const proofText = ({ take, variant }: ProofPlace): string =>
  variant === null ? take : `${take}:${variant}`

/** As tables of a report. @param markdown as Markdown tables; else in columns */
export function proofReport(
  { sentence: words, lines, paths, differences }: ProofTold,
  markdown = false,
): string {
  const cells = ({ before, forecast, low, high, after, even }: Proved): string[] => {
    const of = (value: number | null) => (value === null ? NONE : three(value))
    const range = low === null || high === null ? '' : ` (${three(low)} to ${three(high)})`
    return [of(before), `${of(forecast)}${range}`, of(after), of(even)]
  }
  const heads = ['before', 'forecast', 'with the fix', 'at equal speed']
  const say = saidIn(markdown)
  const figures = lines.map((line) => [`${line.words}${line.unit === 'ms' ? ', ms' : ''}`, ...cells(line)])
  const pathRows = paths.map((row) => [row.path.join(' > '), ...cells(row)])
  return [
    say(words),
    ...(differences.length === 0 ? [] : ['', `Not alike: ${say(differences.join('; '))}.`]),
    '',
    ...tableLines(['figure', ...heads], figures, markdown),
    ...(pathRows.length === 0 ? [] : ['', ...tableLines(['path, ms a frame', ...heads], pathRows, markdown)]),
  ].join('\n')
}
