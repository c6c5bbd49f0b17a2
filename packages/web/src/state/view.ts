/** What the workbench shows of a take. The address restores all of it. */
import type { LedgerBy } from '@lapsus/core/rollup'
import { create } from 'zustand'

export const UNITS = ['frame', 'second', 'share'] as const
export type Unit = (typeof UNITS)[number]
export const SORTS = ['name', 'self', 'total', 'p99', 'calls', 'bytes', 'needless', 'repeated'] as const
export type Sort = (typeof SORTS)[number]

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
  /** The path that is chosen in page and ledger, by number; null for none. */
  path: number | null
  by: LedgerBy
  unit: Unit
  sort: Sort
  search: string
  /** Whether the recorder's estimated share is taken out of all figures. */
  withoutRecorder: boolean
}

export const FIRST_VIEW: View = {
  frame: 0,
  range: null,
  target: null,
  path: null,
  by: 'path',
  unit: 'frame',
  sort: 'total',
  search: '',
  withoutRecorder: false,
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
  if (view.path !== null) params.set('path', String(view.path))
  if (view.by !== FIRST_VIEW.by) params.set('by', view.by)
  if (view.unit !== FIRST_VIEW.unit) params.set('unit', view.unit)
  if (view.sort !== FIRST_VIEW.sort) params.set('sort', view.sort)
  if (view.withoutRecorder) params.set('recorder', 'without')
  if (view.search !== '') params.set('search', view.search)
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
    path: whole(params.get('path'), pathCount),
    by: known('by', ['path', 'marker', 'group'] as const, FIRST_VIEW.by),
    unit: known('unit', UNITS, FIRST_VIEW.unit),
    sort: known('sort', SORTS, FIRST_VIEW.sort),
    search: params.get('search') ?? '',
    withoutRecorder: params.get('recorder') === 'without',
  }
}
