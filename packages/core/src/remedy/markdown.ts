/** A plan as text, to be put where the team reads; it carries itself along, so that it can be opened again. */
import type { Ranged, Ranges } from './sensitivity.ts'
import type { FrameFigures } from '../take/index.ts'
import { bytes, inMarkdown, ms, percent, three } from '../words/index.ts'
import type { Figures } from './frames-after.ts'
import type { Assumption } from './input.ts'
import type { Forecast, ItemForecast } from './forecast.ts'
import { planFromJson, planToJson, PlanError, type Plan, type PlanItem, type ReadPlan } from './plan.ts'
import { REMEDIES } from './remedies.ts'

/** What the plan itself stands in, at the end of its text. */
const FENCE = '```json'

export interface PlanContext {
  game: string
  /** Name of the take that the plan is worked out on. */
  take: string
  target: number
}

export function planToMarkdown(plan: Plan, forecast: Forecast, { game, take, target }: PlanContext): string {
  const { before, after } = forecast
  const lines = [
    `# ${inMarkdown(plan.name) || 'Plan'}`,
    '',
    `${inMarkdown(game)}, worked out on ${inMarkdown(take)}, at ${three(target)} frames a second (${ms(1000 / target)}).`,
    '',
    '| | before | forecast |',
    '| --- | --- | --- |',
    ...figureRows(before, after).map((row) => `| ${row.join(' | ')} |`),
    '',
  ]
  plan.items.forEach((item, i) => lines.push(...itemLines(item, forecast.items[i]!, i + 1), ''))
  return [...lines, FENCE, JSON.stringify(planToJson(plan)), '```', ''].join('\n')
}

/** Of figures, what stands in words. */
type Compared = Omit<Figures, 'meanMs' | 'frames'> & {
  frames: Pick<FrameFigures, 'work' | 'over' | 'overShare' | 'late'>
}

/**
 * The figures of a forecast in words: what, before, after.
 * @param ranges of the figures after, where they are known: `4.30 ms (3.90 to 5.60)`
 */
export function figureRows(
  before: Compared,
  after: Compared,
  ranges: Ranges | null = null,
): [string, string, string][] {
  const row = (
    words: string,
    pick: (figures: Compared) => string,
    ranged?: Ranged,
  ): [string, string, string] => [
    words,
    pick(before),
    pick(after) + (ranged === undefined || ranges === null ? '' : ` (${rangeWords(ranges[ranged])})`),
  ]
  return [
    row('work p50', ({ frames }) => ms(frames.work.p50), 'p50'),
    row('work p95', ({ frames }) => ms(frames.work.p95), 'p95'),
    row('work p99', ({ frames }) => ms(frames.work.p99), 'p99'),
    row('worst', ({ frames }) => ms(frames.work.worst)),
    row('frames over', ({ frames }) => `${frames.over}, ${percent(frames.overShare)}`, 'over'),
    row('frames late', ({ frames }) => String(frames.late)),
    row('spikes', ({ spikes }) => (spikes === null ? '–' : String(spikes))),
    row('collections, of 1,000 frames', ({ collectionsPer1000 }) =>
      collectionsPer1000 === null ? 'not known' : three(collectionsPer1000),
    ),
    row('allocated a frame', ({ bytesPerFrame }) =>
      bytesPerFrame === null ? 'not known' : bytes(Math.round(bytesPerFrame)),
    ),
    row('largest heap', ({ memoryBytes }) =>
      memoryBytes === null ? 'not known' : `${three(memoryBytes / 1e6)} MB`,
    ),
  ]
}

/** A range as it stands behind its figure. */
export const rangeWords = ({ low, high }: { low: number; high: number }): string =>
  `${three(low)} to ${three(high)}`

/**
 * Reads a plan from a file's text: JSON, or Markdown as planToMarkdown writes it.
 * @throws PlanError for what is neither
 */
export function planFromText(text: string): ReadPlan {
  // Notes may hold anything, but no line of their own: neither in the text nor in JSON.
  const fence = text.lastIndexOf(`\n${FENCE}\n`)
  const json = text.trimStart().startsWith('#') && fence >= 0 ? text.slice(fence + FENCE.length + 1) : text
  let value: unknown
  try {
    value = JSON.parse(json.replace(/```\s*$/, ''))
  } catch (error) {
    throw new PlanError(`is neither JSON nor a plan as Markdown: ${(error as Error).message}`)
  }
  return planFromJson(value)
}

function itemLines(
  item: PlanItem,
  { gainMsPerFrame, refusal, price, assumptions }: ItemForecast,
  place: number,
): string[] {
  const { words } = REMEDIES[item.remedy]
  const off = item.state === 'dropped' ? 'dropped' : item.on ? item.state : `${item.state}, off`
  return [
    `## ${place}. ${words}: ${inMarkdown(item.path.join(' > ')) || 'whole frames'}`,
    '',
    `${inMarkdown(`${off}; effort ${item.effort}`)}${item.who === '' ? '' : `; ${inMarkdown(item.who)}`}. ` +
      (refusal === null ? `Gain ${ms(gainMsPerFrame)} a frame.` : `No gain: ${inMarkdown(refusal)}.`),
    ...(item.reason === '' ? [] : ['', `Dropped because: ${inMarkdown(item.reason)}`]),
    ...(item.note === '' ? [] : ['', inMarkdown(item.note)]),
    ...(price.length === 0 ? [] : ['', `Price: ${price.map(inMarkdown).join('; ')}.`]),
    ...(assumptions.length === 0
      ? []
      : ['', ...assumptions.map((one) => `- ${inMarkdown(assumptionWords(one))}`)]),
  ]
}

export const assumptionWords = ({ words, value, unit, origin }: Assumption): string =>
  `${words}: ${typeof value === 'number' ? three(value) : value}${unit === '' ? '' : ` ${unit}`} (${origin})`
