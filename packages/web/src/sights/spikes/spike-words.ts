import type { CauseReport, FamilyReport, SpikeReport } from '@lapsus/core/questions/diagnosis'
import { causeWords, ms, OUTSIDE, plural, three } from '@lapsus/core/words'

/** What a cause did, and how much more than usual: `path.search ran 214 times for 14.2 ms, usually 3: +12.1 ms`. */
export const causeLine = (cause: CauseReport): string =>
  `${causeWords(cause.path.at(-1) ?? OUTSIDE, cause)}: +${ms(cause.excessMs)}`

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

/** What the machine made, in one line. */
export function machineWords(spikes: readonly SpikeReport[]): string {
  const meanMs = spikes.reduce((sum, { excessMs }) => sum + excessMs, 0) / spikes.length
  return `Show ${plural(spikes.length, 'spike')} more that the machine made, ${ms(meanMs)} each on average`
}
