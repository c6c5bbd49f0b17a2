/** Rows of the roster as they are shown: filtered, sorted, grouped, as CSV. Pure. */
import type { RosterRow } from '@lapsus/core/questions/roster'
import { csvRow } from '@lapsus/core/exchange'

export const ROSTER_SORTS = [
  'name',
  'instances',
  'every',
  'runs',
  'frame',
  'hour',
  'needless',
  'changes',
  'idle',
  'verdict',
] as const
export type RosterSort = (typeof ROSTER_SORTS)[number]

/** The largest of the shares that need no update: they overlap, so that their sum is not it. */
export function idleShare({ unseen, far, asleep }: RosterRow): number | null {
  const shares = [unseen, far, asleep].filter((share) => share !== null)
  return shares.length === 0 ? null : Math.max(...shares)
}

const VALUES: Record<Exclude<RosterSort, 'name' | 'verdict'>, (row: RosterRow) => number> = {
  every: (row) => row.everyFrames ?? -1,
  instances: (row) => row.instances ?? -1,
  runs: (row) => row.runsPerSecond,
  frame: (row) => row.msPerFrame,
  hour: (row) => row.msPerHour,
  needless: (row) => row.needless ?? -1,
  changes: (row) => changesPerSecond(row) ?? -1,
  idle: (row) => idleShare(row) ?? -1,
}

export const changesPerSecond = ({ watches }: RosterRow): number | null =>
  watches.length === 0 ? null : watches.reduce((sum, watch) => sum + watch.changesPerSecond, 0)

export function rosterLines(
  rows: readonly RosterRow[],
  { search, sort, grouped }: { search: string; sort: RosterSort; grouped: boolean },
): { group: string | null; rows: RosterRow[] }[] {
  const wanted = search.trim().toLowerCase()
  const found = rows
    .filter(({ name, group }) => `${name} ${group}`.toLowerCase().includes(wanted))
    .sort((a, b) =>
      sort === 'name'
        ? a.name.localeCompare(b.name)
        : sort === 'verdict'
          ? verdictOf(b).localeCompare(verdictOf(a))
          : VALUES[sort](b) - VALUES[sort](a),
    )
  if (!grouped) return [{ group: null, rows: found }]
  const groups = new Map<string, RosterRow[]>()
  for (const row of found) groups.set(row.group, [...(groups.get(row.group) ?? []), row])
  return [...groups].map(([group, own]) => ({ group, rows: own }))
}

/** Whether, and how often, it needs to run: what its figures say, in a few words; empty where they do not. */
export function verdictOf(row: RosterRow): string {
  const idle = idleShare(row)
  const changes = changesPerSecond(row)
  if (changes !== null && row.runsPerSecond > 2 * Math.max(changes, 0.001)) return 'only when it changes'
  if (row.needless !== null && row.needless >= 0.9) return 'hardly ever'
  if (row.needless !== null && row.needless >= 0.2)
    return `not in ${Math.round(row.needless * 100)} % of its runs`
  if (idle !== null && idle >= 0.2) return `not for ${Math.round(idle * 100)} % of them`
  return row.needless === null && changes === null && idle === null ? '' : 'yes'
}

export function rosterCsv(rows: readonly RosterRow[]): string {
  const head = [
    ...['sort', 'name', 'group', 'instances', 'enabled', 'every frames', 'every ms', 'phase'],
    ...['runs a second', 'ms a frame', 'ms an hour', 'needless share', 'unseen share', 'far share'],
    ...['asleep share', 'watches', 'changes a second', 'needs to run'],
  ]
  const body = rows.map((row) =>
    csvRow([
      ...[row.sort, row.name, row.group, row.instances ?? '', row.enabled ?? '', row.everyFrames ?? ''],
      ...[row.everyMs ?? '', row.phase ?? '', row.runsPerSecond, row.msPerFrame, row.msPerHour],
      ...[row.needless ?? '', row.unseen ?? '', row.far ?? '', row.asleep ?? ''],
      ...[row.watches.map(({ name }) => name).join('; '), changesPerSecond(row) ?? '', verdictOf(row)],
    ]),
  )
  return csvRow(head) + body.join('')
}
