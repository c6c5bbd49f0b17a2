/** Checks of what is new of a recording: with the frames, which not every page reads. */
import { asFields, bad, decodeCbor, list } from '@lapsus/core/format'
import { decodeFrames } from '@lapsus/core/take'
import { count, moments, MOST, oneOf } from './field-checks.ts'
import { TAKE_STATES, type LiveNews } from './types.ts'

export function checkLive(bytes: Uint8Array): LiveNews {
  const fields = asFields(decodeCbor(bytes), 'live')
  oneOf(fields, 'state', TAKE_STATES)
  for (const field of ['totalFrames', 'dropped', 'repaired', 'markers', 'paths', 'firstFrame'])
    count(fields, field)
  moments(fields)
  list(fields, 'gauges', MOST)
  if (!(fields['frames'] instanceof Uint8Array)) throw bad('frames', 'a byte column', fields['frames'])
  return { ...(fields as unknown as LiveNews), frames: decodeFrames(fields['frames']) }
}
