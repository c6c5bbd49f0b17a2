import { decodeFrames, type FrameColumns } from '@lapsus/core/take'
import type { Store } from './store.ts'

/** The frame columns of a take as stored: CBOR items, one a chunk (core/take/frames-codec). */
export async function frameBytes(store: Store, takeId: string): Promise<Buffer> {
  const rows = await store.chunks.findAll({
    attributes: ['frameColumns'],
    where: { takeId },
    order: [['idx', 'ASC']],
    raw: true,
  })
  return Buffer.concat(rows.map((row) => row.frameColumns))
}

export async function loadFrames(store: Store, takeId: string): Promise<FrameColumns> {
  return decodeFrames(await frameBytes(store, takeId))
}
