/** OTLP/HTTP: https://opentelemetry.io/docs/specs/otlp/#otlphttp */
import { promisify } from 'node:util'
import { gunzip } from 'node:zlib'
import Router from '@koa/router'
import type { Context } from 'koa'
import getRawBody from 'raw-body'
import { ProblemError } from '../../problem-error.ts'
import type { Pool } from '../pool/pool.ts'

export const OTLP_PATH = '/v1/traces'
const PROTOBUF = 'application/x-protobuf'
const JSON_TYPE = 'application/json'
/** One request, also unpacked. */
const MOST_BYTES = 32 * 1024 * 1024

export function otlpRoutes(pool: Pool): Router {
  const router = new Router()
  router.post(OTLP_PATH, async (context) => {
    const isProtobuf = context.is(PROTOBUF) === PROTOBUF
    if (!isProtobuf && context.is(JSON_TYPE) !== JSON_TYPE) {
      throw new ProblemError(415, `expected ${PROTOBUF} or ${JSON_TYPE}`, 'Content-Type')
    }
    const bytes = await body(context)
    const marker = context.query['frame-marker']
    const frameMarker = typeof marker === 'string' ? marker : undefined
    context.body = Buffer.from(await pool.run('traces', { bytes, isProtobuf, frameMarker }))
    context.type = isProtobuf ? PROTOBUF : JSON_TYPE
  })
  return router
}

async function body(context: Context): Promise<Uint8Array> {
  const raw = await getRawBody(context.req, { limit: MOST_BYTES })
  const encoding = context.get('content-encoding') || 'identity'
  if (encoding === 'identity') return raw
  if (encoding !== 'gzip') throw new ProblemError(415, 'expected gzip or no encoding', 'Content-Encoding')
  try {
    return await promisify(gunzip)(raw, { maxOutputLength: MOST_BYTES })
  } catch (error) {
    throw new ProblemError(
      400,
      `the body is not good gzip of at most ${MOST_BYTES} bytes: ${(error as Error).message}`,
    )
  }
}
