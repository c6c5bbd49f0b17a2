/**
 * Frame columns as CBOR, one item a chunk. A take's frames are the items one after the other: what is
 * stored chunk by chunk is sent whole without being touched.
 */
import { decodeCbor, encodeCbor, FormatError, narrow, scanItem } from '../format/index.ts'
import { concatFrames, framesFromStored, storedFrames, type FrameColumns } from './frame-columns.ts'

export const encodeFrames = (frames: FrameColumns): Uint8Array => encodeCbor(storedFrames(frames, narrow))

/**
 * Reads any number of items.
 * @throws FormatError when they are not what encodeFrames writes
 */
export function decodeFrames(bytes: Uint8Array): FrameColumns {
  const parts: FrameColumns[] = []
  for (let at = 0; at < bytes.length;) {
    const end = scanItem(bytes, at)
    if (end < 0) throw new FormatError('not-cbor', 'the frame columns end too early')
    parts.push(framesFromStored(decodeCbor(bytes.subarray(at, end)) as Record<string, unknown>))
    at = end
  }
  return parts.length === 1 ? parts[0]! : concatFrames(parts)
}
