/** Recording by plain HTTP: docs/format.md, "Streaming by HTTP". */
import { handlers } from './mount.ts'
import { STATUS_CODES } from 'node:http'
import { LIMITS } from '@lapsus/core/format'
import type { Pool } from '../pool/pool.ts'
import { readBody } from '../read-body.ts'
import { gamesAllowed } from '../admission.ts'

/** A record may have as many bytes as a record may have, and the take's own stands before it. */
const MOST_BYTES = LIMITS.recordBytes + 2 ** 20
/** What else a refusal may be about is in the records. */
const STATUS: Record<string, number> = { 'out-of-sequence': 409, busy: 409, discarded: 410, 'wrong-key': 401 }

export function ingestRoutes(pool: Pool) {
  return handlers({
    'POST /ingest/:take': async (context) => {
      const bytes = await readBody(context, MOST_BYTES)
      const { ack, chain, refused, orders, notes } = await pool.run('post', {
        ...{ take: context['params'].take as string, bytes, allowed: gamesAllowed(context) },
      })
      if (refused === null) {
        context.body = { ack, ...(chain === null ? {} : { chain }), orders, notes }
        return
      }
      const { code, message } = refused
      const status = STATUS[code] ?? 422
      context.status = status
      context.body = JSON.stringify({
        ...{ type: 'about:blank', title: STATUS_CODES[status], status, detail: message },
        ...{ code, ack, ...(chain === null ? {} : { chain }), notes },
      })
      context.type = 'application/problem+json'
    },
  })
}
