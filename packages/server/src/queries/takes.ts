import type { GameSummary, TakeDetail, TakeState, TakeSummary } from '@lapsus/api'
import { NS_PER_MS } from '@lapsus/core/take'
import { fn, col, Op } from 'sequelize'
import { GameRow, MomentRow, TakeRow } from '../database/models.ts'
import { finishTake } from '../ingest/finish.ts'
import { loadTables } from '../ingest/progress.ts'

/** Deleted takes can be brought back for this long. */
const KEEP_DELETED_MS = 30 * 24 * 3600 * 1000

export async function listGames(): Promise<GameSummary[]> {
  const games = await GameRow.findAll({ order: [['name', 'ASC']], raw: true })
  const counts = (await TakeRow.findAll({
    attributes: ['gameId', [fn('COUNT', col('id')), 'takes']],
    where: { deletedAt: null },
    group: ['gameId'],
    raw: true,
  })) as unknown as { gameId: number; takes: number }[]
  return games.map(({ id, name }) => ({
    name,
    takes: Number(counts.find((row) => row.gameId === id)?.takes ?? 0),
  }))
}

/** Newest first. */
export async function listTakes(game?: string): Promise<TakeSummary[]> {
  const names = await gameNames()
  const gameIds =
    game === undefined ? undefined : [...names].filter(([, name]) => name === game).map(([id]) => id)
  const rows = await TakeRow.findAll({
    where: { deletedAt: null, ...(gameIds === undefined ? {} : { gameId: gameIds }) },
    order: [['started', 'DESC']],
  })
  return rows.map((row) => summaryOf(row, names.get(row.gameId)!))
}

async function gameNames(): Promise<Map<number, string>> {
  return new Map((await GameRow.findAll({ raw: true })).map(({ id, name }) => [id, name]))
}

/** The take, or null when there is none of that name or it was deleted. */
export const findTake = (id: string): Promise<TakeRow | null> =>
  TakeRow.findOne({ where: { id, deletedAt: null } })

export async function takeSummary(row: TakeRow): Promise<TakeSummary> {
  return summaryOf(row, (await GameRow.findByPk(row.gameId))!.name)
}

export async function takeDetail(row: TakeRow): Promise<TakeDetail> {
  const [summary, { declarations, paths }, moments] = await Promise.all([
    takeSummary(row),
    loadTables(row.id),
    MomentRow.findAll({ where: { takeId: row.id }, order: [['atNs', 'ASC']], raw: true }),
  ])
  return {
    ...summary,
    markers: [...declarations.markers.values()],
    lanes: [...declarations.lanes.values()],
    gauges: [...declarations.gauges.values()],
    paths: paths.all.map(({ parent, lane, marker }) => ({ parent, lane, marker })),
    moments: moments.map(({ name, atNs, frame, data }) => ({
      name,
      atNs,
      frame,
      data: data === null ? null : JSON.parse(data),
    })),
  }
}

function summaryOf(row: TakeRow, game: string): TakeSummary {
  return {
    id: row.id,
    game,
    name: row.name,
    note: row.note,
    state: row.state as TakeState,
    started: row.started.toISOString(),
    target: row.target,
    conditions: JSON.parse(row.conditions),
    frames: Number(row.frames),
    spans: Number(row.spans),
    durationMs: Number(row.endNs) / NS_PER_MS,
    dropped: Number(row.dropped),
    repaired: Number(row.repaired),
    storedBytes: Number(row.storedBytes),
    figures: row.figures === null ? null : JSON.parse(row.figures),
    miniature: row.miniature === null ? null : JSON.parse(row.miniature),
  }
}

export async function changeTake(row: TakeRow, change: { name?: string; note?: string }): Promise<void> {
  await row.update(change)
}

/** Puts a take aside; it can be restored for a month. */
export async function deleteTake(row: TakeRow): Promise<void> {
  await row.update({ deletedAt: new Date() })
}

/** @returns false when there is no such deleted take */
export async function restoreTake(id: string): Promise<boolean> {
  const [restored] = await TakeRow.update(
    { deletedAt: null },
    { where: { id, deletedAt: { [Op.ne]: null } } },
  )
  if (restored === 0) return false
  await finishTake(id, (await TakeRow.findByPk(id))!.state as TakeState)
  return true
}

/** Removes for good what was deleted long ago. */
export async function purgeDeleted(): Promise<number> {
  return TakeRow.destroy({ where: { deletedAt: { [Op.lt]: new Date(Date.now() - KEEP_DELETED_MS) } } })
}
