/**
 * Records that the database does not take. One that fails again and again must not hold up the rest of its
 * recording: after some tries it is kept as it came, and the take goes on without it, marked.
 */
import { Op } from 'sequelize'
import { failureKind } from '../store/failure.ts'
import { foundOrMade } from '../store/transaction.ts'
import type { Store, Row } from '../store/store.ts'

/** Tries before a record is set aside. */
export const MOST_TRIES = 3
/** A record may be larger than what one command may hold. */
const PART_BYTES = 4 * 1024 * 1024
const MOST_REASON = 600

/** A record that could not be committed. */
export class CommitFailure extends Error {
  readonly sequence: number

  constructor(sequence: number, cause: Error) {
    super(`record ${sequence} could not be stored`, { cause })
    this.sequence = sequence
  }
}

/** Whether a failed commit may be the record's own doing, and not a trouble of the database. */
export function isOfTheRecord({ cause }: CommitFailure): boolean {
  const kind = failureKind(cause)
  return kind !== 'away' && kind !== 'full' && kind !== 'conflict'
}

/** Said to whoever runs the game. */
export const setAsideNote = (sequence: number, why: string): string =>
  `record ${sequence} could not be stored (${why}); it is set aside`

/**
 * Counts a try, over all connections and server processes; the last one sets the record aside.
 * @param record its bytes as they came
 * @returns the tries so far
 */
export async function countTry(
  store: Store,
  takeId: string,
  sequence: number,
  record: Uint8Array,
  reason: string,
): Promise<number> {
  const where = { takeId, sequence }
  const [row, isNew] = await foundOrMade(store.refusedRecords, {
    where,
    defaults: {
      ...where,
      tries: 1,
      reason: reason.slice(0, MOST_REASON),
      bytes: record.length,
      at: new Date(),
      setAside: false,
    },
  })
  if (!isNew) await row.update({ tries: row.tries + 1, reason: reason.slice(0, MOST_REASON), at: new Date() })
  if (row.tries >= MOST_TRIES && !row.setAside) {
    await store.refusedParts.destroy({ where })
    for (let part = 0; part * PART_BYTES < record.length; part++) {
      const body = Buffer.from(record.subarray(part * PART_BYTES, (part + 1) * PART_BYTES))
      await store.refusedParts.create({ ...where, part, body })
    }
    await row.update({ setAside: true })
  }
  return row.tries
}

/** Records of a take, after number `after`, that are to be passed over: why, by number. */
export async function setAsideAfter(
  store: Store,
  takeId: string,
  after: number,
): Promise<Map<number, string>> {
  const rows = await store.refusedRecords.findAll({
    where: { takeId, setAside: true, sequence: { [Op.gt]: after } },
    raw: true,
  })
  return new Map(rows.map(({ sequence, reason }) => [Number(sequence), reason]))
}

/** Forgets the tries of records that were stored after all. */
export async function forgetTries(store: Store, takeId: string, upTo: number): Promise<void> {
  await store.refusedRecords.destroy({
    where: { takeId, setAside: false, sequence: { [Op.lte]: upTo } },
  })
}

/** What was set aside of a take, in order. */
export async function listSetAside(store: Store, takeId: string): Promise<Row<'refusedRecords'>[]> {
  return store.refusedRecords.findAll({
    where: { takeId, setAside: true },
    order: [['sequence', 'ASC']],
    raw: true,
  })
}

/** The bytes of a record as they came, part by part; none where it was not set aside. */
export async function* setAsideBytes(store: Store, takeId: string, sequence: number): AsyncGenerator<Buffer> {
  for (let part = 0; ; part++) {
    const row = await store.refusedParts.findOne({ where: { takeId, sequence, part }, raw: true })
    if (row === null) return
    yield row.body
  }
}
