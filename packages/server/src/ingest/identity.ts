/** Under which identity a recorder's records are kept. */
import { randomBytes } from 'node:crypto'
import { FormatError, type TakeRecord } from '@lapsus/core/format'
import type { Store, TakeRow } from '../store/store.ts'
import { foundOrMade } from '../store/transaction.ts'
import { newerThan } from './newer.ts'

export interface Identity {
  row: TakeRow
  /** The take was not known before. */
  isNew: boolean
  /** Said to whoever runs the game; null for nothing. */
  note: string | null
}

/** Somebody put the take aside. */
export class DiscardedTake extends FormatError {
  constructor(take: string) {
    super('bad-field', `"take" ${take} not to be a deleted one`)
  }
}

/** Finds or makes the take that a recorder writes. @throws FormatError when it may not */
export async function identify(store: Store, record: TakeRecord): Promise<Identity> {
  const [game] = await foundOrMade(store.games, {
    where: { name: record.game },
    defaults: { name: record.game },
  })
  const [row, isNew] = await findOrCreate(store, record, game.id, record.take, null)
  if (row.gameId !== game.id)
    throw new FormatError('bad-field', `"take" ${record.take} to be a take of the same game`)
  if (record.writer !== undefined && (row.writer ?? null) === null)
    await row.update({ writer: record.writer }, { hooks: false })
  if (record.writer === undefined || row.writer === record.writer) {
    if (!isNew && row.deletedAt !== null) throw new DiscardedTake(record.take)
    return { row, isNew, note: isNew ? newerThan(record.conditions.probe) : null }
  }
  return twinOf(store, row, record, game.id)
}

/**
 * Another recorder writes, or wrote, under this identity: a game that forked, or was started again under the same
 * name. Its records are numbered anew, so they are a take of their own; a tag links both.
 */
async function twinOf(store: Store, first: TakeRow, record: TakeRecord, gameId: number): Promise<Identity> {
  const { writer = null } = record
  const known = await store.takes.findOne({ where: { twinOf: first.id, writer } })
  const note = (id: string) => `take ${first.id} is another recorder's: this recording is kept as take ${id}`
  if (known !== null) return { row: known, isNew: false, note: note(known.id) }
  const id = `${first.id.slice(0, 50)}-${randomBytes(4).toString('hex')}`
  const [row, isNew] = await findOrCreate(store, record, gameId, id, first.id)
  const tag = `with ${first.id.slice(0, 40)}`
  for (const one of [first, row]) {
    const tags = (one.tags ?? null) === null ? [] : (JSON.parse(one.tags!) as string[])
    if (!tags.includes(tag)) await one.update({ tags: JSON.stringify([...tags, tag]) })
  }
  return { row, isNew, note: note(id) }
}

const findOrCreate = (store: Store, record: TakeRecord, gameId: number, id: string, twinOf: string | null) =>
  foundOrMade(store.takes, {
    where: { id },
    defaults: {
      id,
      gameId,
      name: '',
      note: '',
      state: 'recording',
      started: new Date(record.started),
      target: record.target,
      conditions: JSON.stringify(record.conditions),
      touchedAt: new Date(),
      writer: record.writer ?? null,
      twinOf,
      chain: 0,
      ...continuation(record),
    },
  })

/** Of a take that goes on with another, whose first record follows one of that take's. */
const continuation = ({ continues, after = 0 }: TakeRecord) =>
  continues === undefined
    ? {}
    : { continues, lastSequence: after, tags: JSON.stringify([`continues ${continues.slice(0, 40)}`]) }
