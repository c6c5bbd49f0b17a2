/** Recordings of the demo game as all servers see them: each notes its own, and looks at those of the others. */
import { Op } from 'sequelize'
import type { Recording, RecordingState } from '@lapsus/api'
import type { Row, Store } from '../store/store.ts'

/** Ended recordings that are still listed. */
const MOST_KEPT = 20
/** A server that has not told of its recording for so long has gone. */
const GONE_AFTER_MS = 10_000

const OVER: RecordingState[] = ['done', 'failed', 'called-off']
export const isOver = ({ state }: Pick<Recording, 'state'>): boolean => OVER.includes(state)

export class SharedRecordings {
  readonly #store: Store

  constructor(store: Store) {
    this.#store = store
  }

  async add({ id, take, state, seconds }: Recording): Promise<void> {
    const now = new Date()
    await this.#store.recordings.create({
      ...{ id, takeId: take, state, seconds, askedAt: now, touchedAt: now, stopWished: false, message: '' },
    })
    const kept = await this.#store.recordings.findAll({
      attributes: ['id'],
      order: [['askedAt', 'DESC']],
      limit: MOST_KEPT,
      raw: true,
    })
    await this.#store.recordings.destroy({
      where: { id: { [Op.notIn]: kept.map((row) => row.id) }, state: OVER },
    })
  }

  /** Notes where a recording has got to. */
  async tell({ id, state, message }: Recording): Promise<void> {
    const now = new Date()
    await this.#store.recordings.update(
      {
        ...{ state, message, touchedAt: now },
        ...(state === 'starting' ? { startedAt: now } : {}),
        ...(OVER.includes(state) ? { endedAt: now } : {}),
      },
      { where: { id } },
    )
  }

  /** Those of these recordings are still looked after. @returns which of them somebody wishes to end */
  async touch(ids: readonly string[]): Promise<string[]> {
    const where = { id: [...ids] }
    await this.#store.recordings.update({ touchedAt: new Date() }, { where })
    const wished = await this.#store.recordings.findAll({
      attributes: ['id'],
      where: { ...where, stopWished: true },
      raw: true,
    })
    return wished.map(({ id }) => id)
  }

  async wishStop(id: string): Promise<void> {
    await this.#store.recordings.update({ stopWished: true }, { where: { id } })
  }

  /** Newest first. */
  async list(): Promise<Recording[]> {
    const rows = await this.#store.recordings.findAll({
      order: [['askedAt', 'DESC']],
      limit: MOST_KEPT,
      raw: true,
    })
    return Promise.all(rows.map((row) => this.#recordingOf(row)))
  }

  async get(id: string): Promise<Recording | null> {
    const row = await this.#store.recordings.findByPk(id, { raw: true })
    return row === null ? null : this.#recordingOf(row)
  }

  async #recordingOf(row: Row<'recordings'>): Promise<Recording> {
    const { id, takeId, seconds, startedAt, endedAt, touchedAt } = row
    const take = await this.#store.takes.findByPk(takeId, { attributes: ['frames'], raw: true })
    let state = row.state as RecordingState
    let { message } = row
    if (state === 'starting' && take !== null) state = 'recording'
    if (!OVER.includes(state) && Date.now() - touchedAt.getTime() > GONE_AFTER_MS) {
      state = 'failed'
      message = 'the server that had started the game is gone'
    }
    const untilMs = (endedAt ?? new Date()).getTime()
    return {
      ...{ id, take: takeId, state, seconds, message },
      frames: Number(take?.frames ?? 0),
      elapsedS: startedAt === null ? 0 : Math.min(seconds, (untilMs - startedAt.getTime()) / 1000),
    }
  }
}
