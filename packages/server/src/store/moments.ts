import type { TakeMoment, TakeStretch } from '@lapsus/api'
import { Op } from 'sequelize'
import type { Store } from './store.ts'

/** The moments of a take in the chunks from number `fromChunk` on. */
export async function takeMoments(store: Store, takeId: string, fromChunk = 0): Promise<TakeMoment[]> {
  const rows = await store.moments.findAll({
    where: { takeId, idx: { [Op.gte]: fromChunk } },
    order: [['atNs', 'ASC']],
    raw: true,
  })
  return rows.map(({ name, atNs, frame, data }) => ({
    name,
    atNs,
    frame,
    data: data === null ? null : JSON.parse(data),
  }))
}

export async function takeStretches(store: Store, takeId: string): Promise<TakeStretch[]> {
  const rows = await store.stretches.findAll({ where: { takeId }, order: [['firstFrame', 'ASC']] })
  return rows.map(({ firstFrame, cause, at }) => ({ firstFrame, cause, at: at.toISOString() }))
}
