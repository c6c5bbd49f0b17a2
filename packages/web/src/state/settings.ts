import { create } from 'zustand'
import { persist } from 'zustand/middleware'

/** Ways to sort the library. */
export const ORDERS = ['newest', 'name', 'over', 'p99', 'size'] as const
export type Order = (typeof ORDERS)[number]

export type Theme = 'system' | 'light' | 'dark'

interface Settings {
  theme: Theme
  setTheme(theme: Theme): void
  /** Seconds that a moving strip shows. */
  liveSeconds: number
  setLiveSeconds(seconds: number): void
  /** Whether the column of findings is unfolded. */
  findingsOpen: boolean
  setFindingsOpen(open: boolean): void
  /** Whether the column of the plan is unfolded. */
  planOpen: boolean
  setPlanOpen(open: boolean): void
  /** In which order the library shows takes. */
  libraryOrder: Order
  setLibraryOrder(order: Order): void
  /** Games whose takes are folded away. */
  foldedGames: readonly string[]
  toggleGame(game: string): void
  /** The budget that was checked last, as text, by game. */
  budgets: Readonly<Record<string, string>>
  setBudget(game: string, text: string): void
  /** Addresses that open places in the code, with `{file}` and `{line}`, by game. */
  placePatterns: Readonly<Record<string, string>>
  /** @param pattern empty for none */
  setPlacePattern(game: string, pattern: string): void
}

/** What a person set and expects to find again. */
export const useSettings = create<Settings>()(
  persist(
    (set) => ({
      theme: 'system' as Theme,
      setTheme: (theme: Theme) => set({ theme }),
      liveSeconds: 10,
      setLiveSeconds: (liveSeconds: number) => set({ liveSeconds }),
      findingsOpen: true,
      setFindingsOpen: (findingsOpen: boolean) => set({ findingsOpen }),
      planOpen: false,
      setPlanOpen: (planOpen: boolean) => set({ planOpen }),
      libraryOrder: 'newest' as Order,
      setLibraryOrder: (libraryOrder: Order) => set({ libraryOrder }),
      budgets: {} as Readonly<Record<string, string>>,
      setBudget: (game: string, text: string) =>
        set(({ budgets }) => ({ budgets: { ...budgets, [game]: text } })),
      placePatterns: {} as Readonly<Record<string, string>>,
      setPlacePattern: (game: string, pattern: string) =>
        set(({ placePatterns: { [game]: _, ...others } }) => ({
          placePatterns: pattern === '' ? others : { ...others, [game]: pattern },
        })),
      foldedGames: [] as readonly string[],
      toggleGame: (game: string) =>
        set(({ foldedGames }) => ({
          foldedGames: foldedGames.includes(game)
            ? foldedGames.filter((one) => one !== game)
            : [...foldedGames, game],
        })),
    }),
    { name: 'lapsus-settings' },
  ),
)

const prefersDark = () => window.matchMedia('(prefers-color-scheme: dark)')

function applyTheme(): void {
  const { theme } = useSettings.getState()
  const dark = theme === 'dark' || (theme === 'system' && prefersDark().matches)
  document.documentElement.dataset['theme'] = dark ? 'dark' : 'light'
  window.dispatchEvent(new Event('lapsus-theme'))
}

/** Keeps the page's colours in step with the setting and the system. */
export function followTheme(): void {
  applyTheme()
  useSettings.subscribe(applyTheme)
  prefersDark().addEventListener('change', applyTheme)
}
