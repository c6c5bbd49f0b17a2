/**
 * The recording stream: a WebSocket at INGEST_PATH. The game sends one record a message, binary, the take's own
 * first. The server answers with these messages, as JSON text.
 *
 * Version 2 of the protocol gives every message a `type`; the WebSocket subprotocol says that the game knows it. A
 * game that asks for none speaks version 1: it is sent nothing but acknowledgements, refusals and orders, which
 * mean the same there.
 */

export const INGEST_PATH = '/ingest'
export const INGEST_PROTOCOL = 'lapsus.2'

/** Environment variables that the probe obeys in Node. */
export const ENV_TO = 'LAPSUS_TO'
/** JSON: which files of the game are to be marked (probe/marks/node-marker). */
export const ENV_MARK = 'LAPSUS_MARK'
export const ENV_TAKE = 'LAPSUS_TAKE'
/** JSON: the probe's RecordingOptions. */
export const ENV_OPTIONS = 'LAPSUS_OPTIONS'
/** Admits the game to a Lapsus that asks for a key. */
export const ENV_KEY = 'LAPSUS_KEY'

/** All records up to this sequence number are committed. Sent at once for a take already known. */
export interface AckMessage {
  type: 'ack'
  ack: number
  /** The chain after that record (crc32.ts), where the server knows all records of the take as they came. */
  chain?: number
}

/** The stream is refused from this record on; the server closes it, and trying again is no use. */
export interface RefusalMessage {
  type: 'refused'
  refused: { code: string; message: string }
}

/** Somebody who watches the recording wishes it to end, or its last seconds to be kept. */
export type Order = { order: 'stop' } | { order: 'keep'; cause: string }
export type OrderMessage = { type: 'order' } & Order

/** Something worth saying to whoever runs the game; the recording goes on. Version 2. */
export interface NoteMessage {
  type: 'note'
  note: string
}

/** A sign of life while the server makes ready to say what it has. Version 2. */
export interface WaitMessage {
  type: 'wait'
}

export type IngestMessage = AckMessage | RefusalMessage | OrderMessage | NoteMessage | WaitMessage

/**
 * What a server said, of either version of the protocol.
 * @returns null for what is not understood: it must not be taken for an acknowledgement
 */
export function readIngestMessage(text: string): IngestMessage | null {
  let value: unknown
  try {
    value = JSON.parse(text)
  } catch {
    return null
  }
  if (value === null || typeof value !== 'object') return null
  const { type, ack, chain, refused, order, cause, note } = value as Record<string, unknown>
  // Version 1 has no types: there the field that is present tells.
  const isOf = (name: string, field: unknown) => (type === undefined ? field !== undefined : type === name)
  if (isOf('refused', refused)) return refusalOf(refused)
  if (isOf('order', order)) {
    if (order === 'stop') return { type: 'order', order }
    if (order === 'keep')
      return { type: 'order', order, cause: typeof cause === 'string' ? cause : 'on request' }
    return null
  }
  if (type === 'wait') return { type: 'wait' }
  if (isOf('note', note)) return typeof note === 'string' ? { type: 'note', note } : null
  if (isOf('ack', ack) && Number.isSafeInteger(ack) && (ack as number) >= 0)
    return { type: 'ack', ack: ack as number, ...(typeof chain === 'number' ? { chain } : {}) }
  return null
}

function refusalOf(refused: unknown): RefusalMessage | null {
  if (refused === null || typeof refused !== 'object') return null
  const { code, message } = refused as Record<string, unknown>
  if (typeof message !== 'string') return null
  return { type: 'refused', refused: { code: typeof code === 'string' ? code : 'refused', message } }
}
