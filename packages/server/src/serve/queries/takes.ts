import type { GameSummary, Miniature, Miniatures, TakeDetail, TakeState, TakeSummary } from '@lapsus/api'
import type { Conditions } from '@lapsus/core/format'
import { NS_PER_MS } from '@lapsus/core/take'
import { dateTime } from '@lapsus/core/words'
import { col, fn, literal, Op, where, type WhereOptions } from 'sequelize'
import { finishTake } from '../../ingest/finish.ts'
import { problemsOf } from '../../store/problems.ts'
import { takeMoments, takeStretches } from '../../store/moments.ts'
import { tablesOf } from '../../store/take-tables.ts'
import { listSetAside } from '../../ingest/set-aside.ts'
import type { Store, TakeRow } from '../../store/store.ts'

/** Deleted takes can be brought back for this long. */
const KEEP_DELETED_MS = 30 * 24 * 3600 * 1000
const UNDATED_BEFORE_MS = Date.UTC(1970, 0, 3)

export async function listGames(store: Store): Promise<GameSummary[]> {
  const games = await store.games.findAll({ order: [['name', 'ASC']], raw: true })
  const counts = (await store.takes.findAll({
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

/** What takes are searched by; each given part narrows the list. */
export interface TakeFilter {
  game?: string | undefined
  /** Anywhere in the name, note, tags or conditions. */
  search?: string | undefined
  tag?: string | undefined
  build?: string | undefined
  device?: string | undefined
  scene?: string | undefined
  mode?: string | undefined
  state?: TakeState | undefined
  /** Only so many, the newest. */
  limit?: number | undefined
}

/** Newest first. */
export async function listTakes(store: Store, filter: TakeFilter = {}): Promise<TakeSummary[]> {
  const names = await gameNames(store)
  const { game, search, tag, state, limit } = filter
  const conditions: WhereOptions[] = [{ deletedAt: null }]
  if (game !== undefined) {
    conditions.push({ gameId: [...names].filter(([, name]) => name === game).map(([id]) => id) })
  }
  if (state !== undefined) conditions.push({ state })
  if (search !== undefined) {
    const like = contains(search)
    conditions.push({ [Op.or]: [{ name: like }, { note: like }, { tags: like }, { conditions: like }] })
  }
  // In its quotes, as it stands in the list.
  if (tag !== undefined) conditions.push({ tags: contains(JSON.stringify(tag)) })
  for (const field of ['build', 'device', 'scene', 'mode'] as const) {
    const wanted = filter[field]
    if (wanted !== undefined) conditions.push(where(literal(`JSON_VALUE(conditions, '$.${field}')`), wanted))
  }
  const rows = await store.takes.findAll({
    attributes: { exclude: ['miniature'] },
    where: { [Op.and]: conditions },
    ...(limit === undefined
      ? {}
      : {
          order: [
            [literal(STARTED), 'DESC'],
            ['id', 'ASC'],
          ],
          limit,
        }),
    raw: true,
  })
  return rows
    .sort((a, b) => startedOf(b).getTime() - startedOf(a).getTime() || (a.id < b.id ? -1 : 1))
    .map((row) => summaryOf(row, names.get(row.gameId)!))
}

const contains = (text: string) => ({ [Op.like]: `%${text.replace(/[\\%_]/g, '\\$&')}%` })

/** Takes that were put aside and can still be restored, last deleted first. */
export async function listDeleted(store: Store): Promise<TakeSummary[]> {
  const names = await gameNames(store)
  const rows = await store.takes.findAll({
    where: { deletedAt: { [Op.ne]: null } },
    order: [['deletedAt', 'DESC']],
  })
  return rows.map((row) => summaryOf(row, names.get(row.gameId)!))
}

async function gameNames(store: Store): Promise<Map<number, string>> {
  return new Map((await store.games.findAll({ raw: true })).map(({ id, name }) => [id, name]))
}

/** The take, or null when there is none of that name or it was deleted. */
export const findTake = (store: Store, id: string): Promise<TakeRow | null> =>
  store.takes.findOne({ where: { id, deletedAt: null } })

/** What a take is called among others: its name, or when it was made. */
export const titleOf = (row: TakeRow): string => row.name || dateTime(startedOf(row).toISOString())

export async function takeSummary(store: Store, row: TakeRow): Promise<TakeSummary> {
  return summaryOf(row, (await store.games.findByPk(row.gameId))!.name)
}

export async function takeDetail(store: Store, row: TakeRow): Promise<TakeDetail> {
  const [summary, { declarations, paths }, moments, stretches, problems, setAside, after] = await Promise.all(
    [
      takeSummary(store, row),
      tablesOf(store, row),
      takeMoments(store, row.id),
      takeStretches(store, row.id),
      problemsOf(store, row.id),
      listSetAside(store, row.id),
      store.takes.findAll({ attributes: ['id'], where: { continues: row.id, deletedAt: null }, raw: true }),
    ],
  )
  return {
    ...summary,
    markers: [...declarations.markers.values()],
    lanes: [...declarations.lanes.values()],
    gauges: [...declarations.gauges.values()],
    watches: [...declarations.watches.values()],
    classes: [...declarations.classes.values()],
    paths: paths.all.map(({ parent, lane, marker }) => ({ parent, lane, marker })),
    moments,
    stretches,
    problems,
    setAsideRecords: setAside.map(({ sequence, reason, bytes }) => ({
      sequence: Number(sequence),
      reason,
      bytes,
    })),
    continues: row.continues ?? null,
    continuedBy: after.map(({ id }) => id),
  }
}

/** Lists hold thousands, and show pictures of a few. */
export async function miniaturesOf(store: Store, ids: readonly string[]): Promise<Miniatures> {
  const rows = await store.takes.findAll({
    attributes: ['id', 'miniature'],
    where: { id: [...ids], deletedAt: null, miniature: { [Op.ne]: null } },
    raw: true,
  })
  return Object.fromEntries(rows.map(({ id, miniature }) => [id, JSON.parse(miniature!) as Miniature]))
}

/** `startedOf` in the database's words. */
const STARTED = `IF(started < '1970-01-03', touched_at, started)`

/** What foreign files do not date begins at the epoch: such a take is of when it came. */
export const startedOf = ({ started, touchedAt }: TakeRow): Date =>
  started.getTime() < UNDATED_BEFORE_MS ? touchedAt : started

function summaryOf(row: TakeRow, game: string): TakeSummary {
  return {
    id: row.id,
    game,
    name: row.name,
    note: row.note,
    tags: row.tags === null ? [] : JSON.parse(row.tags),
    state: row.state as TakeState,
    started: startedOf(row).toISOString(),
    target: row.target,
    conditions: JSON.parse(row.conditions),
    frames: Number(row.frames),
    spans: Number(row.spans),
    durationMs: Number(row.endNs) / NS_PER_MS,
    dropped: Number(row.dropped),
    repaired: Number(row.repaired),
    setAside: Number(row.setAside),
    storedBytes: Number(row.storedBytes),
    figures: row.figures === null ? null : JSON.parse(row.figures),
  }
}

export async function changeTake(
  row: TakeRow,
  { tags, conditions, ...texts }: { name?: string; note?: string; tags?: string[]; conditions?: Conditions },
): Promise<void> {
  const known = JSON.parse(row.conditions) as Conditions
  await row.update({
    ...texts,
    ...(tags === undefined ? {} : { tags: JSON.stringify([...new Set(tags)]) }),
    ...(conditions === undefined ? {} : { conditions: JSON.stringify({ ...known, ...conditions }) }),
  })
}

/** Puts a take aside; it can be restored for a month. */
export async function deleteTake(row: TakeRow): Promise<void> {
  await row.update({ deletedAt: new Date() })
}

/** @returns false when there is no such deleted take */
export async function restoreTake(store: Store, id: string): Promise<boolean> {
  const [restored] = await store.takes.update(
    { deletedAt: null },
    { where: { id, deletedAt: { [Op.ne]: null } } },
  )
  if (restored === 0) return false
  await finishTake(store, id, (await store.takes.findByPk(id))!.state as TakeState)
  return true
}

/** Removes for good what was deleted long ago. */
export async function purgeDeleted(store: Store): Promise<number> {
  return store.takes.destroy({ where: { deletedAt: { [Op.lt]: new Date(Date.now() - KEEP_DELETED_MS) } } })
}
