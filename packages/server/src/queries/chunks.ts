import { Op } from 'sequelize'
import { ChunkRow } from '../database/models.ts'

type BlobColumn = 'frameColumns' | 'spanColumns' | 'courses' | 'samples'
const PLACE = ['idx', 'firstFrame', 'frames'] as const

/** The chunk that holds a frame, with the named blobs; null when the take does not have that frame. */
export async function chunkOfFrame(
  takeId: string,
  frame: number,
  blobs: BlobColumn[],
): Promise<ChunkRow | null> {
  const chunk = await ChunkRow.findOne({
    attributes: [...PLACE, ...blobs],
    where: { takeId, firstFrame: { [Op.lte]: frame }, frames: { [Op.gt]: 0 } },
    order: [['firstFrame', 'DESC']],
    raw: true,
  })
  return chunk !== null && frame < chunk.firstFrame + chunk.frames ? chunk : null
}
