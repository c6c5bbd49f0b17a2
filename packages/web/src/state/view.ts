/** What the workbench shows of a take. The address restores all of it. */
import { LEDGER_COLUMNS, LEDGER_SCOPES, type LedgerScope } from '@lapsus/core/questions/ledger'
import type { LedgerBy } from '@lapsus/core/rollup'
import { create } from 'zustand'
import { SIGHT_NAMES, type SightName } from '../lists/sight-names.ts'

export const UNITS = ['frame', 'second', 'share'] as const
export type Unit = (typeof UNITS)[number]
/** What lines of the ledger can be sorted by: their name, or any column of it. */
const SORTS: readonly string[] = ['name', ...LEDGER_COLUMNS.map(({ id }) => id)]
export type Sort = string

/** Ways to group the ledger: those of the server, and those that are made of its rows here. */
export const GROUPINGS = ['path', 'marker', 'group', 'lane', 'caller'] as const
export type Grouping = (typeof GROUPINGS)[number]
/** What the server is asked for, to be grouped. */
export const askedBy = (by: Grouping): LedgerBy => (by === 'lane' ? 'group' : by === 'caller' ? 'path' : by)

/** Both included. */
export interface FrameRange {
  from: number
  to: number
}

export interface View {
  /** The frame on the page. */
  frame: number
  /** The frames the ledger sums up; null for all. */
  range: FrameRange | null
  /** Frames a second to judge by; null for the take's own. */
  target: number | null
  /** What the middle shows. */
  sight: SightName
  /** The frame laid beside the one on the page; null for the ledger there. */
  beside: number | null
  /** Id of the finding that is chosen; null for none. */
  finding: string | null
  /** Which of the chosen frames the ledger sums up. */
  scope: LedgerScope
  /** Ids of the loads that a cost is plotted against; none for the one that explains most. */
  loads: string[]
  /** The path that is chosen in page and ledger, by number; null for none. */
  path: number | null
  by: Grouping
  unit: Unit
  sort: Sort
  search: string
  /** Whether the recorder's estimated share is taken out of all figures. */
  withoutRecorder: boolean
  /** Id of the plan that the address names; null for the one changed last. */
  plan: string | null
  /** Whether pages show frames as they would have been with the plan. */
  planned: boolean
}

export const FIRST_VIEW: View = {
  frame: 0,
  range: null,
  target: null,
  sight: 'frame',
  beside: null,
  finding: null,
  scope: 'chosen',
  loads: [],
  path: null,
  by: 'path',
  unit: 'frame',
  sort: 'total',
  search: '',
  withoutRecorder: false,
  plan: null,
  planned: false,
}

interface ViewState extends View {
  change(view: Partial<View>): void
}

export const useView = create<ViewState>()((set) => ({ ...FIRST_VIEW, change: (view) => set(view) }))

/** The view as address parameters; what is as usual is left out. */
export function viewToParams(view: View): URLSearchParams {
  const params = new URLSearchParams({ frame: String(view.frame) })
  if (view.range !== null) params.set('frames', `${view.range.from}-${view.range.to}`)
  if (view.target !== null) params.set('target', String(view.target))
  if (view.sight !== FIRST_VIEW.sight) params.set('sight', view.sight)
  if (view.beside !== null) params.set('beside', String(view.beside))
  if (view.finding !== null) params.set('finding', view.finding)
  if (view.scope !== FIRST_VIEW.scope) params.set('scope', view.scope)
  if (view.loads.length > 0) params.set('loads', view.loads.join(','))
  if (view.path !== null) params.set('path', String(view.path))
  if (view.by !== FIRST_VIEW.by) params.set('by', view.by)
  if (view.unit !== FIRST_VIEW.unit) params.set('unit', view.unit)
  if (view.sort !== FIRST_VIEW.sort) params.set('sort', view.sort)
  if (view.withoutRecorder) params.set('recorder', 'without')
  if (view.search !== '') params.set('search', view.search)
  if (view.plan !== null) params.set('plan', view.plan)
  if (view.planned) params.set('frames-as', 'planned')
  return params
}

/**
 * The view that address parameters describe. What makes no sense for this take is as usual instead.
 * @param frameCount frames of the take
 * @param pathCount paths of the take
 * @param fallbackFrame shown when the address names no frame
 */
export function viewFromParams(
  params: URLSearchParams,
  frameCount: number,
  pathCount: number,
  fallbackFrame: number,
): View {
  const whole = (text: string | null | undefined, limit: number): number | null => {
    const value = Number(text)
    return text && Number.isInteger(value) && value >= 0 && value < limit ? value : null
  }
  const known = <T extends string>(name: string, allowed: readonly T[], usual: T): T =>
    allowed.find((value) => value === params.get(name)) ?? usual
  const [first, last] = (params.get('frames') ?? '').split('-')
  const from = whole(first, frameCount)
  const to = whole(last, frameCount)
  const target = Number(params.get('target'))
  return {
    frame: whole(params.get('frame'), frameCount) ?? fallbackFrame,
    range: from !== null && to !== null && from <= to ? { from, to } : null,
    target: target > 0 && target <= 10_000 ? target : null,
    sight: known('sight', SIGHT_NAMES, FIRST_VIEW.sight),
    beside: whole(params.get('beside'), frameCount),
    finding: params.get('finding'),
    scope: known('scope', LEDGER_SCOPES, FIRST_VIEW.scope),
    loads: (params.get('loads') ?? '').split(',').filter((id) => /^(gauge|class) \d+$/.test(id)),
    path: whole(params.get('path'), pathCount),
    by: known('by', GROUPINGS, FIRST_VIEW.by),
    unit: known('unit', UNITS, FIRST_VIEW.unit),
    sort: known('sort', SORTS, FIRST_VIEW.sort),
    search: params.get('search') ?? '',
    withoutRecorder: params.get('recorder') === 'without',
    plan: params.get('plan'),
    planned: params.get('frames-as') === 'planned',
  }
}
