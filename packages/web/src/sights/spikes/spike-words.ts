import type { CauseReport, FamilyReport } from '@lapsus/core/questions/diagnosis'
import { amount, ms, three } from '@lapsus/core/words'

/** What a cause did more than usual: `path.search ran 214 times, usually 3: +12.1 ms`. */
export function causeWords({ path, why, calls, usualCalls, excessMs, usualMs, selfMs }: CauseReport): string {
  const name = path.at(-1) ?? 'time outside any marker'
  const more = `+${ms(excessMs)}`
  if (why === 'collection') return `a collection paused it: ${more}`
  if (why === 'waiting') return `${name} waited ${ms(selfMs)}: ${more}`
  if (why === 'slower-calls') return `${name} took ${ms(selfMs)}, usually ${ms(usualMs)}: ${more}`
  const times = `${amount(calls)} ${calls === 1 ? 'time' : 'times'}`
  return `${name} ran ${times}, usually ${usualCalls === 0 ? 'not at all' : amount(usualCalls)}: ${more}`
}

/** When a family comes, as far as that is known. */
export function familyWords({ moment, period, spikes }: FamilyReport): string {
  const every =
    period === null ? null : `every ${three(period.ms / 1000)} s ± ${three(period.spreadMs / 1000)}`
  if (moment === null) return every ?? 'at no moment or period that is known'
  const { name, members, times, lift, chance } = moment
  const share = `${members} of ${spikes} right after “${name}” (${times} times), ${three(lift)} × as often as elsewhere`
  const odds = chance < 1e-6 ? 'by chance less than one in a million' : `by chance ${three(chance)}`
  return [share, odds, every].filter((part) => part !== null).join('; ')
}
