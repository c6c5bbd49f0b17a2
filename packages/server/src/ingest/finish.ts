import type { TakeState } from '@lapsus/api'
import { frameFigures, miniature } from '@lapsus/core/take'
import { Op } from 'sequelize'
import { TakeRow } from '../database/models.ts'
import { loadFrames } from '../queries/frames.ts'

/** Columns of the small picture in the library. */
const MINIATURE_COLUMNS = 160
/** A take that nobody has written to, nor kept open, for this long has lost its game. */
export const ABANDONED_AFTER_MS = 20_000

const listeners = new Set<(takeId: string) => void>()

/** Tells whenever a take was closed. @returns what ends the telling */
export function whenTakeFinishes(listener: (takeId: string) => void): () => void {
  listeners.add(listener)
  return () => listeners.delete(listener)
}

/** Closes a take: its state, its figures and its small picture. */
export async function finishTake(takeId: string, state: TakeState): Promise<void> {
  const row = await TakeRow.findByPk(takeId, { attributes: ['id', 'target', 'state'] })
  if (row === null) return
  // What has come whole is not cut short by how its game ended.
  if (row.state === 'complete') state = 'complete'
  const frames = await loadFrames(takeId)
  const empty = frames.workNs.length === 0
  const { worstUs, medianUs } = miniature(frames, MINIATURE_COLUMNS)
  await row.update({
    state,
    figures: empty ? null : JSON.stringify(frameFigures(frames, 1000 / row.target)),
    miniature: empty ? null : JSON.stringify({ worstUs: [...worstUs], medianUs: [...medianUs] }),
  })
  for (const listener of listeners) listener(takeId)
}

/** Marks a take as still being recorded by a game that is connected. */
export async function touchTake(takeId: string): Promise<void> {
  await TakeRow.update({ touchedAt: new Date() }, { where: { id: takeId, state: 'recording' } })
}

/** Closes, as cut short, every take whose game vanished. */
export async function closeAbandoned(): Promise<string[]> {
  const abandoned = await TakeRow.findAll({
    attributes: ['id'],
    where: { state: 'recording', touchedAt: { [Op.lt]: new Date(Date.now() - ABANDONED_AFTER_MS) } },
  })
  for (const { id } of abandoned) await finishTake(id, 'cut-short')
  // A server that ended between the take's last commit and its closing.
  const unfinished = await TakeRow.findAll({
    attributes: ['id'],
    where: { state: 'complete', figures: null, frames: { [Op.gt]: 0 } },
  })
  for (const { id } of unfinished) await finishTake(id, 'complete')
  return abandoned.map(({ id }) => id)
}
