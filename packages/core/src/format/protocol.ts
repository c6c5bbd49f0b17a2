/**
 * The recording stream: a WebSocket at INGEST_PATH. The game sends one record a message, binary, the
 * take's own first. The server answers with these messages, as JSON text.
 */

export const INGEST_PATH = '/ingest'

/** Environment variables that the probe obeys in Node. */
export const ENV_TO = 'LAPSUS_TO'
export const ENV_TAKE = 'LAPSUS_TAKE'
/** JSON: the probe's RecordingOptions. */
export const ENV_OPTIONS = 'LAPSUS_OPTIONS'

/** All records up to this sequence number are committed. Sent at once for a take already known. */
export interface AckMessage {
  ack: number
}

/** The stream is refused from this record on; the server closes it. */
export interface RefusalMessage {
  refused: { code: string; message: string }
}

/** Somebody who watches the recording wishes it to end, or its last seconds to be kept. */
export type OrderMessage = { order: 'stop' } | { order: 'keep'; cause: string }

export type IngestMessage = AckMessage | RefusalMessage | OrderMessage
