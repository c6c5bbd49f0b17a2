import { literal, Op } from 'sequelize'
import type { ChunkRow, Store } from './store.ts'

type BlobColumn = 'frameColumns' | 'spanColumns' | 'courses' | 'samples' | 'details' | 'courseDetails'

/** The chunk that holds a frame, with the named blobs; null when the take does not have that frame. */
export async function chunkOfFrame(
  store: Store,
  takeId: string,
  frame: number,
  blobs: BlobColumn[],
): Promise<ChunkRow | null> {
  // Its number is looked for without the blobs, which the database would otherwise carry along while it sorts.
  const last = literal(
    '(SELECT MAX(idx) FROM chunks AS place WHERE place.take_id = :takeId AND place.first_frame <= :frame AND place.frames > 0)',
  )
  const chunk = await store.chunks.findOne({
    attributes: ['idx', 'firstFrame', 'frames', ...blobs],
    where: { takeId, idx: { [Op.eq]: last } },
    replacements: { takeId, frame },
    raw: true,
  })
  return chunk === null || frame >= chunk.firstFrame + chunk.frames ? null : chunk
}
