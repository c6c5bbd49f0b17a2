/** The library as rows: games with their takes, in the order that was asked for. */
import type { TakeSummary } from '@lapsus/api'
import type { Order } from '../state/settings.ts'

export const ORDER_WORDS: Record<Order, string> = {
  newest: 'newest first',
  name: 'by name',
  over: 'most through the floor first',
  p99: 'longest p99 first',
  size: 'largest first',
}

export type LibraryRow =
  | { key: string; game: string; takes: readonly TakeSummary[]; folded: boolean }
  | { key: string; take: TakeSummary }

/** @param takes newest first */
export function libraryRows(
  takes: readonly TakeSummary[],
  order: Order,
  folded: readonly string[],
): LibraryRow[] {
  const games = new Map<string, TakeSummary[]>()
  for (const take of takes) {
    const own = games.get(take.game)
    if (own === undefined) games.set(take.game, [take])
    else own.push(take)
  }
  return [...games].flatMap(([game, own]): LibraryRow[] => {
    const isFolded = folded.includes(game)
    const head = { key: `game ${game}`, game, takes: own, folded: isFolded }
    return isFolded ? [head] : [head, ...sorted(own, order).map((take) => ({ key: take.id, take }))]
  })
}

function sorted(takes: readonly TakeSummary[], order: Order): readonly TakeSummary[] {
  switch (order) {
    case 'newest':
      return takes
    case 'name':
      // Those without a name last, newest first.
      return takes.toSorted(
        (a, b) =>
          Number(a.name === '') - Number(b.name === '') ||
          a.name.localeCompare(b.name, undefined, { numeric: true }),
      )
    case 'over':
      return downwards(takes, ({ figures }) => figures?.overShare)
    case 'p99':
      return downwards(takes, ({ figures }) => figures?.work.p99)
    case 'size':
      return downwards(takes, ({ storedBytes }) => storedBytes)
  }
}

/** Those without the figure last. */
const downwards = (takes: readonly TakeSummary[], of: (take: TakeSummary) => number | undefined) =>
  takes.toSorted((a, b) => (of(b) ?? -1) - (of(a) ?? -1))
