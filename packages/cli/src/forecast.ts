/** The forecast of a plan as a person would send it to a colleague. */
import type { ForecastAnswer } from '@lapsus/core/questions/forecast'
import { figureRows, REMEDIES } from '@lapsus/core/remedy'
import { ms } from '@lapsus/core/words'

export function forecastReport({ plan, before, after, ranges, items }: ForecastAnswer): string {
  const rows = figureRows(before, after, ranges)
  const width = Math.max(...rows.map(([words]) => words.length))
  return [
    plan === '' ? 'The plan' : plan,
    '',
    `${''.padEnd(width)}  ${'before'.padStart(16)}  ${'forecast'.padStart(28)}`,
    ...rows.map(
      ([words, before, after]) => `${words.padEnd(width)}  ${before.padStart(16)}  ${after.padStart(28)}`,
    ),
    '',
    ...items.flatMap(({ number, remedy, path, gainMsPerFrame, gainMsAtBest, price, refusal }) => [
      `${number}. ${REMEDIES[remedy as keyof typeof REMEDIES].words}: ${path.join(' > ') || 'whole frames'}`,
      refusal === null
        ? `   gain ${ms(gainMsPerFrame)} a frame, ${ms(gainMsAtBest)} at best; ${price.join('; ')}`
        : `   does nothing: ${refusal}`,
    ]),
  ].join('\n')
}
