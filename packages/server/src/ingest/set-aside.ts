/**
 * Records that the database does not take. One that fails again and again must not hold up the rest of its
 * recording: after some tries it is kept as it came, and the take goes on without it, marked.
 */
import { Op } from 'sequelize'
import { RefusedPartRow, RefusedRecordRow } from '../database/models.ts'

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

/**
 * Counts a try, over all connections and server processes; the last one sets the record aside.
 * @param record its bytes as they came
 * @returns the tries so far
 */
export async function countTry(
  takeId: string,
  sequence: number,
  record: Uint8Array,
  reason: string,
): Promise<number> {
  const where = { takeId, sequence }
  const [row, isNew] = await RefusedRecordRow.findOrCreate({
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
    await RefusedPartRow.destroy({ where })
    for (let part = 0; part * PART_BYTES < record.length; part++) {
      const body = Buffer.from(record.subarray(part * PART_BYTES, (part + 1) * PART_BYTES))
      await RefusedPartRow.create({ ...where, part, body })
    }
    await row.update({ setAside: true })
  }
  return row.tries
}

/** Records of a take, after number `after`, that are to be passed over: why, by number. */
export async function setAsideAfter(takeId: string, after: number): Promise<Map<number, string>> {
  const rows = await RefusedRecordRow.findAll({
    where: { takeId, setAside: true, sequence: { [Op.gt]: after } },
    raw: true,
  })
  return new Map(rows.map(({ sequence, reason }) => [Number(sequence), reason]))
}

/** Forgets the tries of records that were stored after all. */
export async function forgetTries(takeId: string, upTo: number): Promise<void> {
  await RefusedRecordRow.destroy({
    where: { takeId, setAside: false, sequence: { [Op.lte]: upTo } },
  })
}

/** What was set aside of a take, in order. */
export async function listSetAside(takeId: string): Promise<RefusedRecordRow[]> {
  return RefusedRecordRow.findAll({
    where: { takeId, setAside: true },
    order: [['sequence', 'ASC']],
    raw: true,
  })
}

/** The bytes of a record as they came, part by part; none where it was not set aside. */
export async function* setAsideBytes(takeId: string, sequence: number): AsyncGenerator<Buffer> {
  for (let part = 0; ; part++) {
    const row = await RefusedPartRow.findOne({ where: { takeId, sequence, part }, raw: true })
    if (row === null) return
    yield row.body
  }
}
