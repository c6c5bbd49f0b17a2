import { decodeFrames, type FrameColumns } from '@lapsus/core/take'
import { ChunkRow } from '../database/models.ts'

/** The frame columns of a take as stored: CBOR items, one a chunk (core/take/frames-codec). */
export async function frameBytes(takeId: string): Promise<Buffer> {
  const rows = await ChunkRow.findAll({
    attributes: ['frameColumns'],
    where: { takeId },
    order: [['idx', 'ASC']],
    raw: true,
  })
  return Buffer.concat(rows.map((row) => row.frameColumns))
}

export async function loadFrames(takeId: string): Promise<FrameColumns> {
  return decodeFrames(await frameBytes(takeId))
}
