import { Latest } from '../api/latest.ts'
import { api } from '../api/takes.ts'
import type { TakeSummary } from '@lapsus/api'
import { plural } from '@lapsus/core/words'
import { create } from 'zustand'
import { notify } from './notices.ts'
import { useSettings } from './settings.ts'

interface Library {
  /** Null until loaded. */
  takes: TakeSummary[] | null
  /** Whether these are all: the newest come first. */
  isWhole: boolean
  error: string | null
  filter: TakeFilter
  /** Takes that were deleted and can be restored; null until loaded. */
  deleted: TakeSummary[] | null
  load(): Promise<void>
  /** Loads what the first `setFilter` of these parts will ask for, before there is a screen. */
  loadEarly(filter: TakeFilter): Promise<void>
  setFilter(filter: TakeFilter): Promise<void>
  loadDeleted(): Promise<void>
  restore(id: string): Promise<void>
  rename(id: string, name: string): Promise<void>
  setNote(id: string, note: string): Promise<void>
  remove(take: TakeSummary): Promise<void>
  removeAll(takes: readonly TakeSummary[]): Promise<void>
  setTags(id: string, tags: string[]): Promise<void>
}

/** What narrows the list; a part that is missing does not. */
export type TakeFilter = Partial<Record<FilterField, string>>
const FILTER_FIELDS = ['search', 'tag', 'device', 'build', 'scene', 'mode'] as const
export type FilterField = (typeof FILTER_FIELDS)[number]

/** As an address says it. */
export function filterOf(params: URLSearchParams): TakeFilter {
  const filter: TakeFilter = {}
  for (const field of FILTER_FIELDS) {
    const value = params.get(field)
    if (value !== null && value !== '') filter[field] = value
  }
  return filter
}

/** As many as a window shows, and some: they are there long before thousands are. */
const FIRST_TAKES = 40
const DRAWN_AFTER_MS = 400

/** The takes that are kept. */
export const useLibrary = create<Library>()((set, get) => {
  const change = async (id: string, fields: { name?: string; note?: string; tags?: string[] }) => {
    const before = get().takes
    set({ takes: before?.map((take) => (take.id === id ? { ...take, ...fields } : take)) ?? null })
    try {
      await api.changeTake(id, fields)
    } catch (error) {
      set({ takes: before })
      notify((error as Error).message)
    }
  }
  // Typing is faster than answers are.
  const latest = new Latest()
  let isEarly = false
  return {
    takes: null,
    isWhole: false,
    error: null,
    filter: {},
    deleted: null,
    async loadEarly(filter) {
      isEarly = true
      set({ filter })
      await get().load()
    },
    async setFilter(filter) {
      const isSame = JSON.stringify(filter) === JSON.stringify(get().filter)
      // One that failed, for want of a password, is asked again.
      const isUnderWay = isEarly && isSame && get().error === null
      isEarly = false
      if (isUnderWay) return
      set({ filter })
      await get().load()
    },
    async loadDeleted() {
      try {
        set({ deleted: await api.deletedTakes() })
      } catch (error) {
        notify((error as Error).message)
      }
    },
    async restore(id) {
      try {
        await api.restoreTake(id)
        await Promise.all([get().load(), get().loadDeleted()])
      } catch (error) {
        notify((error as Error).message)
      }
    },
    async load() {
      const { filter, takes: before } = get()
      const first = { ...filter, limit: String(FIRST_TAKES) }
      try {
        if (before === null && useSettings.getState().libraryOrder === 'newest') {
          const takes = await latest.ask((signal) => api.takes(first, signal))
          if (takes === null) return
          const isWhole = takes.length < FIRST_TAKES
          set({ takes, isWhole, error: null })
          if (isWhole) return
          // Reading thousands would keep the first from being drawn.
          await new Promise((resolve) => setTimeout(resolve, DRAWN_AFTER_MS))
          if (get().isWhole || get().filter !== filter) return
        }
        const takes = await latest.ask((signal) => api.takes(filter, signal))
        if (takes !== null) set({ takes, isWhole: true, error: null })
      } catch (error) {
        set({ error: (error as Error).message })
      }
    },
    rename: (id, name) => change(id, { name }),
    setNote: (id, note) => change(id, { note }),
    setTags: (id, tags) => change(id, { tags }),
    remove: (take) => get().removeAll([take]),
    async removeAll(takes) {
      const gone: TakeSummary[] = []
      try {
        for (const take of takes) {
          await api.deleteTake(take.id)
          gone.push(take)
        }
      } catch (error) {
        notify((error as Error).message)
      }
      await get().load()
      const [first] = gone
      if (first === undefined) return
      const what =
        gone.length === 1 ? `“${first.name || first.game}” is` : `${plural(gone.length, 'take')} are`
      notify(`${what} deleted.`, {
        label: 'Undo',
        run: () => void Promise.all(gone.map(({ id }) => get().restore(id))),
      })
    },
  }
})
