/** What a plan would have made of the chosen frames. */
import { baseOf, forecastPlan, weigh, type Forecast, type ReadPlan } from '../../remedy/index.ts'
import type { Study } from '../../study/index.ts'
import { question, WrongAsk, type Answer } from '../question.ts'
import { text } from '../shape.ts'
import { FORECAST_TELLS, type ForecastTold } from './tells.ts'

function forecastTold(study: Study, { plan, problems, numbers }: ReadPlan): ForecastTold {
  const base = baseOf(study)
  const { forecast, replay } = forecastPlan(base, plan, { withGains: false })
  replay.release()
  const { before, after, items } = forecast
  return {
    plan: plan.name,
    before,
    after,
    ranges: weigh(base, plan, forecast).ranges,
    items: items.map(
      (
        {
          gainMsPerFrame,
          gainMsAtBest,
          price,
          assumptions,
          refusal,
          notes,
          memoryBytes,
          stalenessMs,
          latencyFrames,
        },
        i,
      ) => ({
        number: numbers[i]!,
        remedy: plan.items[i]!.remedy,
        path: plan.items[i]!.path,
        assumptions: assumptions.map(({ about: _, ...assumption }) => assumption),
        ...{ gainMsPerFrame, gainMsAtBest, price, refusal, notes, memoryBytes, stalenessMs, latencyFrames },
      }),
    ),
    problems: [...problems, ...itemProblems(forecast, numbers)],
  }
}

const itemProblems = ({ items }: Forecast, numbers: readonly number[]): string[] =>
  items.flatMap(({ problems, refusal }, i) =>
    [
      ...problems.filter((problem) => refusal === null || !refusal.includes(problem)),
      ...(refusal === null ? [] : [refusal]),
    ].map((words) => `item ${numbers[i]!}: ${words}`),
  )

export const FORECAST = question({
  name: 'forecast',
  version: 1,
  about: 'What a plan would have made of the chosen frames.',
  at: 'forecast',
  ofFrames: true,
  asks: { plan: text('a plan of the take’s game, by its id; on the command line its file') },
  tells: FORECAST_TELLS,
  async answer(source, asked) {
    const plan = await source.plan(asked.plan)
    if (plan === null) throw new WrongAsk('plan', 'there is no plan of that name for this game', true)
    return forecastTold(await source.study(), plan)
  },
})

export type ForecastAnswer = Answer<typeof FORECAST>
