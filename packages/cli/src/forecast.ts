/** What `forecast` prints: a take before and after a plan. */
import { readFile } from 'node:fs/promises'
import {
  baseOf,
  figureRows,
  forecastPlan,
  planFromText,
  weigh,
  PlanError,
  REMEDIES,
  type Assumption,
  type Figures,
  type Forecast,
  type Plan,
  type Ranges,
} from '@lapsus/core/remedy'
import { studyWithoutRecorder } from '@lapsus/core/study'
import type { FrameFigures } from '@lapsus/core/take'
import { ms } from '@lapsus/core/words'
import { CliError } from './errors.ts'
import type { TakeFile } from './take-file.ts'

/** Times in ms. */
export interface ForecastOutput {
  plan: string
  before: OutputFigures
  after: OutputFigures
  /** How far the figures after may be off: mean work, p50, p95, p99 in ms, frames over. */
  ranges: Ranges
  items: {
    remedy: string
    path: string[]
    gainMsPerFrame: number
    gainMsAtBest: number
    price: string[]
    assumptions: Omit<Assumption, 'about'>[]
    /** Why it does nothing; null where it does. */
    refusal: string | null
    notes: string[]
    memoryBytes: number
    stalenessMs: { mean: number; worst: number }
    latencyFrames: { mean: number; worst: number }
  }[]
  /** What is wrong with the plan, in words; the rest of it still counts. */
  problems: string[]
}

interface OutputFigures {
  /** As `inspect` prints them. */
  frames: Omit<FrameFigures, 'frames' | 'heldBy' | 'overTimeMs'>
  spikes: number
  collectionsPerMinute: number
  collectionMsPerMinute: number
  bytesPerSecond: number | null
  memoryBytes: number | null
}

/** @throws CliError naming what is wrong with the file */
export async function readPlan(path: string): Promise<{ plan: Plan; problems: string[] }> {
  let text: string
  try {
    text = await readFile(path, 'utf8')
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException
    throw new CliError(code === 'ENOENT' ? `${path}: there is no such file` : `${path}: ${message}`)
  }
  try {
    return planFromText(text)
  } catch (error) {
    if (error instanceof PlanError) throw new CliError(`${path}: ${error.message}`)
    throw error
  }
}

export function forecastFile(
  { study: recorded }: TakeFile,
  { plan, problems }: { plan: Plan; problems: string[] },
  target: number | null,
  lessRecorder = false,
): ForecastOutput {
  const judged = { ...recorded, target: target ?? recorded.target }
  if (lessRecorder && recorded.conditions.recorder === undefined)
    throw new CliError('the recorder of this take did not say what it costs, so it cannot be taken out')
  const base = baseOf(lessRecorder ? studyWithoutRecorder(judged) : judged)
  const { forecast } = forecastPlan(base, plan)
  return {
    plan: plan.name,
    before: figures(forecast.before),
    after: figures(forecast.after),
    ranges: weigh(base, plan, forecast).ranges,
    items: plan.items.map(({ remedy, path }, i) => {
      const {
        gainMsPerFrame,
        gainMsAtBest,
        price,
        assumptions,
        refusal,
        notes,
        memoryBytes,
        stalenessMs,
        latencyFrames,
      } = forecast.items[i]!
      return {
        remedy,
        path,
        gainMsPerFrame,
        gainMsAtBest,
        price,
        assumptions: assumptions.map(({ about: _, ...assumption }) => assumption),
        refusal,
        notes,
        memoryBytes,
        stalenessMs,
        latencyFrames,
      }
    }),
    problems: [...problems, ...itemProblems(forecast)],
  }
}

const itemProblems = ({ items }: Forecast): string[] =>
  items.flatMap(({ problems, refusal }, i) =>
    [
      ...problems.filter((problem) => refusal === null || !refusal.includes(problem)),
      ...(refusal === null ? [] : [refusal]),
    ].map((words) => `item ${i + 1}: ${words}`),
  )

function figures({ frames, spikes, meanMs: _, ...rest }: Figures): OutputFigures {
  const { budgetMs, work, over, overShare, late, held } = frames
  return { frames: { budgetMs, work, over, overShare, late, held }, spikes: spikes!, ...rest }
}

/** The forecast as a person would send it to a colleague. */
export function forecastReport(output: ForecastOutput): string {
  const rows = figureRows(output.before, output.after, output.ranges)
  const width = Math.max(...rows.map(([words]) => words.length))
  return [
    output.plan === '' ? 'The plan' : output.plan,
    '',
    `${''.padEnd(width)}  ${'before'.padStart(16)}  ${'forecast'.padStart(28)}`,
    ...rows.map(
      ([words, before, after]) => `${words.padEnd(width)}  ${before.padStart(16)}  ${after.padStart(28)}`,
    ),
    '',
    ...output.items.flatMap(({ remedy, path, gainMsPerFrame, gainMsAtBest, price, refusal }, i) => [
      `${i + 1}. ${REMEDIES[remedy as keyof typeof REMEDIES].words}: ${path.join(' > ') || 'whole frames'}`,
      refusal === null
        ? `   gain ${ms(gainMsPerFrame)} a frame, ${ms(gainMsAtBest)} at best; ${price.join('; ')}`
        : `   does nothing: ${refusal}`,
    ]),
  ].join('\n')
}
