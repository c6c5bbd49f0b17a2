/** From a ledger's figures to the lines of the table: names, order, tree, units. Pure. */
import { LEDGER_COLUMNS, type LedgerAnswer, type LedgerEntry } from '@lapsus/core/questions/ledger'
import { csvRow } from '@lapsus/core/exchange'
import { idOfKey, laneOfKey } from '@lapsus/core/rollup'
import { MAIN_LANE, NO_PATH } from '@lapsus/core/take'
import type { MarkerKind, Place } from '@lapsus/core/format'
import type { OpenTake } from '../../state/take.ts'
import type { Grouping, Sort, Unit } from '../../state/view.ts'

export interface LedgerLine {
  row: LedgerEntry
  name: string
  lane: string
  /** It is time waited, not worked. */
  waits: boolean
  /** The path that is chosen with the line; null where there is none. */
  path: number | null
  /** Whether the line stands for that path alone. */
  isPath: boolean
  /** Where in the code; null where it is not known, or not one place. */
  at: Place | null
  /** Steps to the right in the tree. */
  indent: number
  children: number
  open: boolean
}

/** How the figures of the chosen frames are turned into those of one unit. */
export interface Basis {
  frames: number
  durationMs: number
  budgetMs: number
}

/** ms summed over the chosen frames, as ms a frame, ms a second or a share of the budget. */
export function inUnit(sumMs: number, unit: Unit, basis: Basis): number {
  if (unit === 'frame') return sumMs / basis.frames
  if (unit === 'second') return sumMs / (basis.durationMs / 1000)
  return sumMs / basis.frames / basis.budgetMs
}

const isWait = (kind: MarkerKind) => kind.startsWith('wait:')

const valueOf = (sort: Sort) => LEDGER_COLUMNS.find(({ id }) => id === sort)!.value

function compare(sort: Sort): (a: LedgerLine, b: LedgerLine) => number {
  if (sort === 'name') return (a, b) => a.name.localeCompare(b.name) || a.row.key - b.row.key
  const value = valueOf(sort)
  return (a, b) => value(b.row) - value(a.row) || a.row.key - b.row.key
}

/**
 * @param closed paths whose children are folded away
 */
export function ledgerLines(
  ledger: LedgerAnswer,
  take: OpenTake,
  { by, sort, search }: { by: Grouping; sort: Sort; search: string },
  closed: ReadonlySet<number>,
): LedgerLine[] {
  const lines =
    by === 'lane' || by === 'caller'
      ? gathered(ledger, take, by)
      : ledger.rows.map((row) => lineOf(row, ledger, take))
  const wanted = search.trim().toLowerCase()
  const matches = (line: LedgerLine) => line.name.toLowerCase().includes(wanted)
  if (by !== 'path') return lines.filter(matches).sort(compare(sort))
  return treeLines(lines, take, sort, wanted === '' ? null : matches, closed)
}

function lineOf(row: LedgerEntry, { by }: LedgerAnswer, take: OpenTake): LedgerLine {
  const laneName = (lane: number) => take.detail.lanes.find(({ id }) => id === lane)?.name ?? ''
  const common = { row, indent: 0, children: 0, open: true, isPath: by === 'path' }
  if (by === 'path') {
    const { marker, lane } = take.paths.get(row.key)
    const { name, kind, at } = take.markers.get(marker)!
    return { ...common, name, at, lane: laneName(lane), waits: isWait(kind), path: row.key }
  }
  const id = idOfKey(row.key)
  const lane = laneName(laneOfKey(row.key))
  if (by === 'marker') {
    const { name, kind, at } = take.markers.get(id)!
    // Choosing a marker chooses one of its paths: what is lit on a page is a path.
    const first = take.paths.all.find((one) => one.marker === id && one.lane === laneOfKey(row.key))!
    return { ...common, name, at, lane, waits: isWait(kind), path: first.id }
  }
  const group = take.detail.markers.find(({ groupId }) => groupId === id)?.group
  return { ...common, name: group || '(no group)', at: null, lane, waits: false, path: null }
}

/** Sums of rows that share a lane, or that the same marker called. Percentiles of a sum are not known. */
function gathered({ rows }: LedgerAnswer, take: OpenTake, by: 'lane' | 'caller'): LedgerLine[] {
  const sums = new Map<number, LedgerEntry>()
  for (const row of rows) {
    const key = by === 'lane' ? laneOfKey(row.key) : callerOf(row.key, take)
    const sum = sums.get(key)
    if (sum === undefined) sums.set(key, { ...row, key, selfP99Ms: NaN })
    else addTo(sum, row)
  }
  return [...sums.values()].map((row) => ({
    ...{
      row,
      indent: 0,
      children: 0,
      open: true,
      waits: false,
      path: null,
      isPath: false,
      lane: '',
      at: null,
    },
    name:
      by === 'lane'
        ? (take.detail.lanes.find(({ id }) => id === row.key)?.name ?? '')
        : (take.markers.get(row.key)?.name ?? '(nothing: outermost)'),
  }))
}

const SUMMED = [
  'calls',
  'selfMs',
  'totalMs',
  'said',
  'needless',
  'needlessNs',
  'repeated',
  'repeatedNs',
] as const

function addTo(sum: LedgerEntry, row: LedgerEntry): void {
  for (const column of [...SUMMED, 'bytes', 'unknownBytes'] as const) sum[column] += row[column]
  sum.frames = Math.max(sum.frames, row.frames)
  if (row.worstSelfMs <= sum.worstSelfMs) return
  sum.worstSelfMs = row.worstSelfMs
  sum.worstFrame = row.worstFrame
}

/** The marker around a path's own; −1 for the outermost. */
function callerOf(path: number, { paths }: OpenTake): number {
  const { parent } = paths.get(path)
  return parent === NO_PATH ? -1 : paths.get(parent).marker
}

/** Who calls a marker, most total time first. */
export function callersOf(rows: LedgerEntry[], marker: number, take: OpenTake): LedgerEntry[] {
  const sums = new Map<number, LedgerEntry>()
  for (const row of rows) {
    if (take.paths.get(row.key).marker !== marker) continue
    const key = callerOf(row.key, take)
    const sum = sums.get(key)
    if (sum === undefined) sums.set(key, { ...row, key })
    else addTo(sum, row)
  }
  return [...sums.values()].sort((a, b) => b.totalMs - a.totalMs)
}

/** Depth first, brothers in the order asked for. A search keeps what matches and what leads to it. */
function treeLines(
  lines: LedgerLine[],
  { paths }: OpenTake,
  sort: Sort,
  matches: ((line: LedgerLine) => boolean) | null,
  closed: ReadonlySet<number>,
): LedgerLine[] {
  const kept =
    matches === null ? null : new Set(lines.filter(matches).flatMap((line) => paths.chain(line.path!)))
  const children = new Map<number, LedgerLine[]>()
  for (const line of lines) {
    if (kept !== null && !kept.has(line.path!)) continue
    const { parent } = paths.get(line.path!)
    children.set(parent, [...(children.get(parent) ?? []), line])
  }
  const result: LedgerLine[] = []
  const visit = (parent: number, indent: number) => {
    for (const line of [...(children.get(parent) ?? [])].sort(compare(sort))) {
      const own = children.get(line.path!)?.length ?? 0
      // A search opens everything, or its matches would stay hidden.
      const open = kept !== null || !closed.has(line.path!)
      result.push({ ...line, indent, children: own, open })
      if (open) visit(line.path!, indent + 1)
    }
  }
  visit(NO_PATH, 0)
  return result
}

/** The table as CSV (RFC 4180), figures in full. */
export function ledgerCsv(lines: LedgerLine[], take: OpenTake): string {
  const nameOf = (line: LedgerLine) =>
    line.path === null || !line.isPath
      ? line.name
      : take.paths
          .chain(line.path)
          .map((path) => take.markers.get(take.paths.get(path).marker)!.name)
          .join(' > ')
  const times = ['self ms', 'total ms', 'self p99 ms', 'worst self ms', 'worst frame']
  const details = ['bytes', 'runs that said', 'needless', 'needless ms', 'repeated', 'repeated ms']
  const head = csvRow(['path', 'lane', 'calls', 'frames', ...times, ...details])
  const body = lines.map(({ row, lane, ...line }) => {
    const { calls, frames, selfMs, totalMs, selfP99Ms, worstSelfMs, worstFrame } = row
    const { said, needless, needlessNs, repeated, repeatedNs } = row
    return csvRow([
      ...[nameOf({ row, lane, ...line }), lane, calls, frames],
      ...[selfMs, totalMs, selfP99Ms, worstSelfMs, worstFrame],
      ...[row.bytes, said, needless, needlessNs / 1e6, repeated, repeatedNs / 1e6],
    ])
  })
  return head + body.join('')
}

/**
 * Time of the main lane outside any marker, ms a frame: with it the lines of that lane add up to the frames.
 * @param laneOf the lane of a row's key
 */
export function outsideMs(
  rows: readonly { key: number; selfMs: number }[],
  { frames, durationMs }: Pick<Basis, 'frames' | 'durationMs'>,
  laneOf: (key: number) => number,
): number {
  let marked = 0
  for (const { key, selfMs } of rows) if (laneOf(key) === MAIN_LANE) marked += selfMs
  return Math.max(0, durationMs - marked) / Math.max(1, frames)
}
