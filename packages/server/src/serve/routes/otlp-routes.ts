/** OTLP/HTTP: https://opentelemetry.io/docs/specs/otlp/#otlphttp */
import { handlers } from './mount.ts'
import { ProblemError } from '../../problem-error.ts'
import type { Pool } from '../pool/pool.ts'
import { readBody } from '../read-body.ts'

const PROTOBUF = 'application/x-protobuf'
const JSON_TYPE = 'application/json'
/** One request, also unpacked. */
const MOST_BYTES = 32 * 1024 * 1024

export function otlpRoutes(pool: Pool) {
  return handlers({
    'POST /v1/traces': async (context) => {
      const isProtobuf = context.is(PROTOBUF) === PROTOBUF
      if (!isProtobuf && context.is(JSON_TYPE) !== JSON_TYPE) {
        throw new ProblemError(415, `expected ${PROTOBUF} or ${JSON_TYPE}`, 'Content-Type')
      }
      const bytes = await readBody(context, MOST_BYTES)
      const marker = context.query['frame-marker']
      const frameMarker = typeof marker === 'string' ? marker : undefined
      context.body = Buffer.from(await pool.run('traces', { bytes, isProtobuf, frameMarker }))
      context.type = isProtobuf ? PROTOBUF : JSON_TYPE
    },
  })
}
