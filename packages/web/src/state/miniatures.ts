import type { Miniature } from '@lapsus/api'
import { create } from 'zustand'
import { api } from '../api/takes.ts'

/** Pictures of takes that scroll into sight are asked for together. */
const REST_MS = 30
const MOST_AT_ONCE = 100

interface Pictures {
  /** By take; null for one that has none. */
  known: Readonly<Record<string, Miniature | null>>
  /** Asked for, but not here yet. */
  wanted: readonly string[]
  want(take: string): void
}

/** Small pictures of takes, as far as they were in sight. */
export const useMiniatures = create<Pictures>()((set, get) => ({
  known: {},
  wanted: [],
  want(take) {
    const { known, wanted } = get()
    if (take in known || wanted.includes(take)) return
    set({ wanted: [...wanted, take] })
    if (wanted.length > 0) return
    setTimeout(() => {
      const ids = get().wanted
      set({ wanted: [] })
      for (let at = 0; at < ids.length; at += MOST_AT_ONCE) void fetchSome(ids.slice(at, at + MOST_AT_ONCE))
    }, REST_MS)
  },
}))

async function fetchSome(ids: readonly string[]): Promise<void> {
  // A list without its pictures is still a list.
  const found = await api.miniatures(ids).catch(() => null)
  if (found === null) return
  const known = Object.fromEntries(ids.map((id) => [id, found[id] ?? null]))
  useMiniatures.setState((before) => ({ known: { ...before.known, ...known } }))
}
