import { Op } from 'sequelize'
import { ChunkRow } from '../database/models.ts'

type BlobColumn = 'frameColumns' | 'spanColumns' | 'courses' | 'samples' | 'details' | 'courseDetails'
const PLACE = ['idx', 'firstFrame', 'frames'] as const

/** The chunk that holds a frame, with the named blobs; null when the take does not have that frame. */
export async function chunkOfFrame(
  takeId: string,
  frame: number,
  blobs: BlobColumn[],
): Promise<ChunkRow | null> {
  // Without the blobs, which the database would otherwise carry along while it sorts.
  const place = await ChunkRow.findOne({
    attributes: [...PLACE],
    where: { takeId, firstFrame: { [Op.lte]: frame }, frames: { [Op.gt]: 0 } },
    order: [['firstFrame', 'DESC']],
    raw: true,
  })
  if (place === null || frame >= place.firstFrame + place.frames) return null
  return ChunkRow.findOne({ attributes: [...PLACE, ...blobs], where: { takeId, idx: place.idx }, raw: true })
}
