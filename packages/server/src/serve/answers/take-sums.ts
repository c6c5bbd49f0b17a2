/** Takes summed up for histories: worked out once, and stored. */
import { SUMS_VERSION, sumsOf, type HistoryTake, type TakeSums } from '@lapsus/core/history'
import { isComposite } from '@lapsus/core/composite'
import type { Conditions } from '@lapsus/core/format'
import { pack, unpack } from '../../store/compression.ts'
import type { TakeRow } from '../../store/store.ts'
import { budgetsByDevice } from '../queries/stored-budgets.ts'
import { titleOf, startedOf } from '../queries/takes.ts'
import { wholeTake } from './diagnoses.ts'
import type { Sources } from './studies.ts'

interface StoredSums {
  /** Frames that the take had: a game that comes back adds more. */
  frames: number
  /** Null for a take without any. */
  sums: TakeSums | null
}

/** The newest count: more points than this no picture shows. */
const MOST_TAKES = 1_000

/**
 * A game's takes as histories read them; those that are still being recorded, those without frames, and composites,
 * whose takes are there themselves, are left out.
 */
export async function historyTakes(sources: Sources, gameId: number): Promise<HistoryTake[]> {
  const rows = await sources.store.takes.findAll({
    attributes: { exclude: ['miniature', 'figures'] },
    where: { gameId, deletedAt: null, state: ['complete', 'cut-short'] },
    order: [['started', 'DESC']],
    limit: MOST_TAKES,
  })
  const known = await storedSums(sources, rows)
  const budgetsFor = await budgetsByDevice(sources.store, gameId)
  const takes: HistoryTake[] = []
  for (const row of rows) {
    const conditions = JSON.parse(row.conditions) as Conditions
    if (isComposite(conditions)) continue
    const stored = known.get(row.id)
    const isFresh = stored?.frames === Number(row.frames)
    const sums = isFresh ? stored!.sums : await makeSums(sources, row)
    if (sums === null) continue
    takes.push({
      ...{ id: row.id, name: titleOf(row), target: row.target, sums },
      started: startedOf(row).toISOString(),
      conditions,
      groupBudgets: budgetsFor(conditions.device ?? '').groups,
    })
  }
  return takes
}

/** By take, those of the present version. */
async function storedSums({ store }: Sources, rows: readonly TakeRow[]): Promise<Map<string, StoredSums>> {
  const takeId = rows.map(({ id }) => id)
  const found = await store.takeSums.findAll({ where: { takeId, version: SUMS_VERSION }, raw: true })
  const read = async (body: Buffer) => JSON.parse((await unpack(body)).toString()) as StoredSums
  return new Map(
    await Promise.all(found.map(async ({ takeId: id, body }) => [id, await read(body)] as const)),
  )
}

async function makeSums({ store, studies }: Sources, row: TakeRow): Promise<TakeSums | null> {
  const sums = sumsOf(await studies.part(row, wholeTake(row)))
  const body = await pack(
    Buffer.from(JSON.stringify({ frames: Number(row.frames), sums } satisfies StoredSums)),
  )
  await store.takeSums.upsert({ takeId: row.id, version: SUMS_VERSION, body })
  return sums
}
