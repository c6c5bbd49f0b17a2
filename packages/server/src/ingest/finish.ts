import type { TakeState } from '@lapsus/api'
import { frameFigures, miniature } from '@lapsus/core/take'
import { Op } from 'sequelize'
import { loadFrames } from '../store/frames.ts'
import type { Store } from '../store/store.ts'

/** Columns of the small picture in the library. */
const MINIATURE_COLUMNS = 160
/** A take that nobody has written to, nor kept open, for this long has lost its game. */
export const ABANDONED_AFTER_MS = 20_000

/** Closes a take: its state, its figures and its small picture. */
export async function finishTake(store: Store, takeId: string, state: TakeState): Promise<void> {
  const row = await store.takes.findByPk(takeId, { attributes: ['id', 'target', 'state'] })
  if (row === null) return
  // What has come whole is not cut short by how its game ended.
  if (row.state === 'complete') state = 'complete'
  const frames = await loadFrames(store, takeId)
  const empty = frames.workNs.length === 0
  const { worstUs, medianUs } = miniature(frames, MINIATURE_COLUMNS)
  await row.update({
    state,
    figures: empty ? null : JSON.stringify(frameFigures(frames, 1000 / row.target)),
    miniature: empty ? null : JSON.stringify({ worstUs: [...worstUs], medianUs: [...medianUs] }),
  })
  store.closedTakes.tell(takeId)
}

/** Marks a take as still being recorded by a game that is connected. */
export async function touchTake(store: Store, takeId: string): Promise<void> {
  await store.takes.update({ touchedAt: new Date() }, { where: { id: takeId, state: 'recording' } })
}

/** Takes that nobody will close any more, with the state in which to. */
export async function abandonedTakes(store: Store): Promise<{ take: string; state: TakeState }[]> {
  const vanished = await store.takes.findAll({
    attributes: ['id'],
    where: { state: 'recording', touchedAt: { [Op.lt]: new Date(Date.now() - ABANDONED_AFTER_MS) } },
  })
  // A server that ended between the take's last commit and its closing.
  const unfinished = await store.takes.findAll({
    attributes: ['id'],
    where: { state: 'complete', figures: null, frames: { [Op.gt]: 0 } },
  })
  return [
    ...vanished.map(({ id }) => ({ take: id, state: 'cut-short' as const })),
    ...unfinished.map(({ id }) => ({ take: id, state: 'complete' as const })),
  ]
}
