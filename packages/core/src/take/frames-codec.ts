/**
 * Frame columns as CBOR, one item a chunk. A take's frames are the items one after the other: what is
 * stored chunk by chunk is sent whole without being touched.
 */
import {
  BYTES_UNKNOWN,
  decodeCbor,
  encodeCbor,
  FormatError,
  narrow,
  scanItem,
  type Column,
} from '../format/index.ts'
import { concatFrames, emptyFrames, WAIT_REASONS, type FrameColumns } from './frames.ts'

export function encodeFrames(frames: FrameColumns): Uint8Array {
  return encodeCbor({
    start: frames.startNs,
    duration: narrow(frames.durationNs),
    work: narrow(frames.workNs),
    ...Object.fromEntries(WAIT_REASONS.map((reason) => [reason, narrow(frames.waitNs[reason])])),
    collect: narrow(frames.collectNs),
    steps: narrow(frames.steps),
    spans: narrow(frames.spans),
    mainSpans: narrow(frames.mainSpans),
    collections: frames.collections.some((n) => n > 0) ? narrow(frames.collections) : undefined,
    bytes: frames.bytes.some((n) => n >= 0) ? frames.bytes : undefined,
  })
}

/**
 * Reads any number of items.
 * @throws FormatError when they are not what encodeFrames writes
 */
export function decodeFrames(bytes: Uint8Array): FrameColumns {
  const parts: FrameColumns[] = []
  for (let at = 0; at < bytes.length;) {
    const end = scanItem(bytes, at)
    if (end < 0) throw new FormatError('not-cbor', 'the frame columns end too early')
    parts.push(framesOf(decodeCbor(bytes.subarray(at, end)) as Record<string, Column>))
    at = end
  }
  return parts.length === 1 ? parts[0]! : concatFrames(parts)
}

function framesOf(item: Record<string, Column>): FrameColumns {
  const count = item['start']?.length ?? 0
  const column = (name: string): Column => {
    const found = item[name]
    if (!ArrayBuffer.isView(found) || found.length !== count) {
      throw new FormatError('bad-field', `frame column "${name}" to have ${count} elements`)
    }
    return found
  }
  const frames = emptyFrames()
  frames.startNs = new Float64Array(column('start'))
  frames.durationNs = new Float64Array(column('duration'))
  frames.workNs = new Float64Array(column('work'))
  for (const reason of WAIT_REASONS) frames.waitNs[reason] = new Float64Array(column(reason))
  frames.collectNs = new Float64Array(column('collect'))
  frames.steps = new Uint32Array(column('steps'))
  frames.spans = new Uint32Array(column('spans'))
  frames.mainSpans = new Uint32Array(column(item['mainSpans'] === undefined ? 'spans' : 'mainSpans'))
  frames.collections =
    item['collections'] === undefined ? new Uint32Array(count) : new Uint32Array(column('collections'))
  frames.bytes =
    item['bytes'] === undefined
      ? new Float64Array(count).fill(BYTES_UNKNOWN)
      : new Float64Array(column('bytes'))
  return frames
}
