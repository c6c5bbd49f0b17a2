/**
 * What somebody who watches wishes of a running game. Kept with the take, so that whichever server process
 * the game streams to finds it.
 */
import type { Order } from '@lapsus/core/format'
import type { Store } from '../store/store.ts'

export type Wish = Order | { order: 'discard' }

export async function wishFor(store: Store, takeId: string, wish: Wish): Promise<void> {
  await store.takes.update({ wish: JSON.stringify(wish) }, { where: { id: takeId } })
}

/** The wish that nobody has taken yet. */
async function wishOf(store: Store, takeId: string): Promise<Wish | null> {
  const row = await store.takes.findByPk(takeId, { attributes: ['wish'], raw: true })
  return row === null || row.wish === null ? null : (JSON.parse(row.wish) as Wish)
}

/** The same, taken. */
export async function takeWish(store: Store, takeId: string): Promise<Wish | null> {
  const wish = await wishOf(store, takeId)
  if (wish !== null) await store.takes.update({ wish: null }, { where: { id: takeId } })
  return wish
}

/** For an answer that may be lost: what may be said twice is not taken, and said until the take ends. */
export async function repeatWish(store: Store, takeId: string): Promise<Wish | null> {
  const wish = await wishOf(store, takeId)
  return wish?.order === 'keep' ? takeWish(store, takeId) : wish
}
