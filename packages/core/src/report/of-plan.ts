/** A plan as a report: what each item brings, and what takes recorded with it prove. */
import { provePlan, VERDICT_WORDS, type Proved } from '../compare/index.ts'
import { counts, forecastPlan, REMEDIES, weigh, type Base, type Plan } from '../remedy/index.ts'
import type { Study } from '../study/index.ts'
import { bytes, ms, NONE, three } from '../words/index.ts'
import type { Block, Report } from './blocks.ts'
import { stripPicture } from './pictures.ts'
import { titleOf, type TakeTitle } from './of-take.ts'

/** @param after takes recorded with the plan; none where it is not proved yet @throws RangeError where they cannot be compared */
export function reportOfPlan(base: Base, plan: Plan, title: TakeTitle, after: Study[]): Report {
  const { forecast, replay } = forecastPlan(base, plan)
  replay.release()
  const { ranges } = weigh(base, plan, forecast)
  const budgetMs = 1000 / base.study.target
  const strip = (workNs: Float64Array, words: string): Block => ({
    picture: stripPicture(workNs, budgetMs, words),
    words,
  })
  const { before, after: then } = forecast
  const ranged = (value: number, range: { low: number; high: number }) =>
    `${ms(value)} (${three(range.low)} to ${three(range.high)})`
  return {
    title: `Plan: ${plan.name || 'without a name'}`,
    about: `For ${titleOf(title)}.`,
    blocks: [
      {
        lead: `Work of a frame: ${ms(before.meanMs)} before, ${ranged(then.meanMs, ranges.meanMs)} as forecast.`,
      },
      strip(base.study.frames.workNs, 'Work of all frames, as recorded.'),
      strip(forecast.frames.workNs, 'Work of all frames, as forecast.'),
      {
        heads: ['figure', 'before', 'forecast'],
        rows: [
          ['work, mean', ms(before.meanMs), ranged(then.meanMs, ranges.meanMs)],
          ...(['p50', 'p95', 'p99'] as const).map((p) => [
            `work ${p}`,
            ms(before.frames.work[p]),
            ranged(then.frames.work[p], ranges[p]),
          ]),
          ['frames over', String(before.frames.over), String(then.frames.over)],
        ],
      },
      { heading: 'Items' },
      { heads: ['item', 'brings a frame', 'state', 'price'], rows: itemRows(plan, forecast.items) },
      ...(after.length === 0 ? [] : proofBlocks(base, plan, after)),
    ],
  }
}

const itemRows = (plan: Plan, items: ReturnType<typeof forecastPlan>['forecast']['items']): string[][] =>
  plan.items.map((item, i) => {
    const { refusal, gainMsPerFrame, price } = items[i]!
    const what = `${i + 1}. ${REMEDIES[item.remedy].words}: ${item.path.join(' › ') || 'whole frames'}`
    const brings =
      refusal !== null ? `nothing: ${refusal}` : counts(item) ? ms(gainMsPerFrame) : 'does not count'
    const state = item.reason === '' ? item.state : `${item.state}: ${item.reason}`
    return [what, brings, state, price.join('; ')]
  })

function proofBlocks(base: Base, plan: Plan, after: Study[]): Block[] {
  const { sentence, lines, paths, differences } = provePlan(base, plan, after)
  const heads = ['before', 'forecast', 'with the fix', 'at equal speed', 'the forecast']
  const cells = (row: Proved, of: (value: number) => string): string[] => {
    const shown = (value: number | null) => (value === null ? NONE : of(value))
    const range = row.low === null || row.high === null ? '' : ` (${three(row.low)} to ${three(row.high)})`
    const aim = row.near === null ? '' : row.near ? 'as aimed' : 'further off'
    const inRange = row.inRange === null ? '' : row.inRange ? 'in its range' : 'outside its range'
    const judged = [row.isReversed ? 'the other way' : aim, inRange].filter((part) => part !== '').join(', ')
    return [shown(row.before), `${shown(row.forecast)}${range}`, shown(row.after), shown(row.even), judged]
  }
  const unitOf = { ms, frames: three, count: three, bytes: (value: number) => bytes(Math.round(value)) }
  return [
    { heading: 'Proof' },
    { lead: sentence },
    ...(differences.length === 0 ? [] : [{ text: `Not alike: ${differences.join('; ')}.` }]),
    {
      heads: ['figure', ...heads],
      rows: lines.map((line) => [line.words, ...cells(line, unitOf[line.unit])]),
    },
    {
      heads: ['path', ...heads, 'recorded'],
      rows: paths.map((row) => [row.path.join(' › '), ...cells(row, ms), VERDICT_WORDS[row.verdict]]),
    },
  ]
}
