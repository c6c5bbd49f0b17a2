/** Figures as findings say them. */
import { amount, ms, percent, plain, plural, three } from '../words/index.ts'
import type { Evidence } from './gather-evidence.ts'

export const msOf = (ns: number): string => ms(ns / 1e6)
export const share = percent
/** A share that a rule is made of, as it was written: `20 %`. */
export const part = (share: number): string => `${plain(share * 100)} %`
export { amount, plural, three }

/** What a cost a frame comes to: `0.51 ms a frame (3.1 % of the budget, 30.4 ms of every second)`. */
export function costWords({ budgetNs, seconds, count }: Evidence, nsPerFrame: number): string {
  const perSecondNs = seconds > 0 ? (nsPerFrame * count) / seconds : 0
  return `${msOf(nsPerFrame)} a frame (${percent(nsPerFrame / budgetNs)} of the budget, ${msOf(perSecondNs)} of every second)`
}

/** The same for what strikes in a few frames: `Over all frames 0.03 ms a frame (…).` */
export const overAll = (evidence: Evidence, whereNs: number, strikes: number): string =>
  `Over all frames ${costWords(evidence, (whereNs * strikes) / Math.max(1, evidence.count))}.`

/** How often something comes: `60.0 a second`, `every 6.67 s`. */
export function rate(perSecond: number): string {
  if (perSecond <= 0) return 'never'
  return perSecond >= 1 ? `${three(perSecond)} a second` : `once in ${three(1 / perSecond)} s`
}
