import { create } from 'zustand'

interface Chosen {
  /** Identities, in the order in which they were chosen. */
  takes: readonly string[]
  toggle(id: string): void
  /** All of these besides those that are chosen already. */
  add(ids: readonly string[]): void
  clear(): void
}

/** Takes of the library that something is to be done with together. */
export const useChosen = create<Chosen>()((set, get) => ({
  takes: [],
  toggle(id) {
    const { takes } = get()
    set({ takes: takes.includes(id) ? takes.filter((one) => one !== id) : [...takes, id] })
  },
  add: (ids) => set({ takes: [...new Set([...get().takes, ...ids])] }),
  clear: () => set({ takes: [] }),
}))
