/** From a ledger's figures to the lines of the table: names, order, tree, units. Pure. */
import type { LedgerResponse, LedgerRowDto } from '@lapsus/api'
import { idOfKey, laneOfKey } from '@lapsus/core/rollup'
import { NO_PATH } from '@lapsus/core/take'
import type { MarkerKind } from '@lapsus/core/format'
import type { OpenTake } from '../state/take.ts'
import type { Sort, Unit } from '../state/view.ts'

export interface LedgerLine {
  row: LedgerRowDto
  name: string
  lane: string
  /** It is time waited, not worked. */
  waits: boolean
  /** Path number, or null where lines are not paths. */
  path: number | null
  /** Steps to the right in the tree. */
  indent: number
  children: number
  open: boolean
}

/** How the figures of the chosen frames are turned into those of one unit. */
export interface Scope {
  frames: number
  durationMs: number
  budgetMs: number
}

/** ms summed over the scope, as ms a frame, ms a second or a share of the budget. */
export function inUnit(sumMs: number, unit: Unit, scope: Scope): number {
  if (unit === 'frame') return sumMs / scope.frames
  if (unit === 'second') return sumMs / (scope.durationMs / 1000)
  return sumMs / scope.frames / scope.budgetMs
}

const isWait = (kind: MarkerKind) => kind.startsWith('wait:')

const sortValue = (line: LedgerLine, sort: Sort): number =>
  sort === 'self'
    ? line.row.selfMs
    : sort === 'total'
      ? line.row.totalMs
      : sort === 'p99'
        ? line.row.selfP99Ms
        : line.row.calls

const compare = (sort: Sort) => (a: LedgerLine, b: LedgerLine) =>
  sort === 'name'
    ? a.name.localeCompare(b.name) || a.row.key - b.row.key
    : sortValue(b, sort) - sortValue(a, sort) || a.row.key - b.row.key

/**
 * @param closed paths whose children are folded away
 */
export function ledgerLines(
  ledger: LedgerResponse,
  take: OpenTake,
  { sort, search }: { sort: Sort; search: string },
  closed: ReadonlySet<number>,
): LedgerLine[] {
  const lines = ledger.rows.map((row) => lineOf(row, ledger, take))
  const wanted = search.trim().toLowerCase()
  const matches = (line: LedgerLine) => line.name.toLowerCase().includes(wanted)
  if (ledger.by !== 'path') return lines.filter(matches).sort(compare(sort))
  return treeLines(lines, take, sort, wanted === '' ? null : matches, closed)
}

function lineOf(row: LedgerRowDto, { by }: LedgerResponse, take: OpenTake): LedgerLine {
  const laneName = (lane: number) => take.detail.lanes.find(({ id }) => id === lane)?.name ?? ''
  const common = { row, indent: 0, children: 0, open: true }
  if (by === 'path') {
    const { marker, lane } = take.paths.get(row.key)
    const { name, kind } = take.markers.get(marker)!
    return { ...common, name, lane: laneName(lane), waits: isWait(kind), path: row.key }
  }
  const id = idOfKey(row.key)
  const lane = laneName(laneOfKey(row.key))
  if (by === 'marker') {
    const { name, kind } = take.markers.get(id)!
    return { ...common, name, lane, waits: isWait(kind), path: null }
  }
  const group = take.detail.markers.find(({ groupId }) => groupId === id)?.group
  return { ...common, name: group || '(no group)', lane, waits: false, path: null }
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
  const quote = (text: string) => (/[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text)
  const nameOf = (line: LedgerLine) =>
    line.path === null
      ? line.name
      : take.paths
          .chain(line.path)
          .map((path) => take.markers.get(take.paths.get(path).marker)!.name)
          .join(' > ')
  const head = [
    'path',
    'lane',
    'calls',
    'frames',
    'self ms',
    'total ms',
    'self p99 ms',
    'worst self ms',
    'worst frame',
  ]
  const body = lines.map((line) => {
    const { calls, frames, selfMs, totalMs, selfP99Ms, worstSelfMs, worstFrame } = line.row
    return [
      quote(nameOf(line)),
      quote(line.lane),
      calls,
      frames,
      selfMs,
      totalMs,
      selfP99Ms,
      worstSelfMs,
      worstFrame,
    ].join(',')
  })
  return [head.join(','), ...body, ''].join('\r\n')
}
