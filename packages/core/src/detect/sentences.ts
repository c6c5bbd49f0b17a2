/** Figures as findings say them. */
import { amount, count, ms, percent, plain, plural, three } from '../words/index.ts'
import type { Evidence } from './evidence.ts'
import type { Cause } from './spikes.ts'

export const msOf = (ns: number): string => ms(ns / 1e6)
export const share = percent
/** A share that a rule is made of, as it was written: `20 %`. */
export const part = (share: number): string => `${plain(share * 100)} %`
export { amount, count, plural, three }

/** What a cost a frame comes to: `0.51 ms a frame (3.1 % of the budget, 30.4 ms of every second)`. */
export function costWords({ budgetNs, seconds, count }: Evidence, nsPerFrame: number): string {
  const perSecondNs = seconds > 0 ? (nsPerFrame * count) / seconds : 0
  return `${msOf(nsPerFrame)} a frame (${percent(nsPerFrame / budgetNs)} of the budget, ${msOf(perSecondNs)} of every second)`
}

/** The same for what strikes in a few frames: `Over all frames 0.03 ms a frame (…).` */
export const overAll = (evidence: Evidence, whereNs: number, strikes: number): string =>
  `Over all frames ${costWords(evidence, (whereNs * strikes) / Math.max(1, evidence.count))}.`

/** `214 runs`, or `1.77 runs` on average. */
export const times = (value: number): string => `${amount(value)} ${value === 1 ? 'time' : 'times'}`

/** How often something comes: `60.0 a second`, `every 6.67 s`. */
export function rate(perSecond: number): string {
  if (perSecond <= 0) return 'never'
  return perSecond >= 1 ? `${three(perSecond)} a second` : `once in ${three(1 / perSecond)} s`
}

/** What a cause did, and what is usual. */
export function causeWords(name: string, { why, calls, usualCalls, selfNs, usualNs }: Cause): string {
  if (why === 'collection') return `a collection took ${msOf(selfNs)}`
  const usually = usualNs > 0 ? `usually ${msOf(usualNs)}` : 'usually nothing'
  if (why === 'waiting') return `${name} waited ${msOf(selfNs)}, ${usually}`
  if (why === 'more-calls') {
    const usual = usualCalls === 0 ? 'usually not at all' : `usually ${amount(usualCalls)}`
    return `${name} ran ${times(Number(calls.toPrecision(3)))} for ${msOf(selfNs)}, ${usual}`
  }
  return `${name} took ${msOf(selfNs)}, ${usually}`
}
