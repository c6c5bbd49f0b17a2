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

/** The wish that nobody has taken yet, taken. */
export async function takeWish(store: Store, takeId: string): Promise<Wish | null> {
  const row = await store.takes.findByPk(takeId, { attributes: ['wish'], raw: true })
  if (row === null || row.wish === null) return null
  await store.takes.update({ wish: null }, { where: { id: takeId } })
  return JSON.parse(row.wish) as Wish
}
