/**
 * OpenTelemetry traces as they arrive: what a request brings is stored before it is answered. Requests of one service
 * instance may come to several servers; frames are put together from all of them (assemble.ts).
 */
import { createHash, randomUUID } from 'node:crypto'
import { serialize } from 'node:v8'
import { readOtlp, Skipped, type OtlpResource } from '@lapsus/core/exchange'
import { ProblemError } from '../../problem-error.ts'
import { pack } from '../../store/compression.ts'
import { transact } from '../../store/transaction.ts'
import type { Store } from '../../store/store.ts'
import { decodeRequest, encodeResponse } from './protobuf.ts'

/** A service that has sent nothing for so long has ended. */
export const IDLE_MS = 10_000
/** Instances at once: what an instance is called comes from outside. */
const MOST_STREAMS = 64
/** Spans of one row: a row holds at most 16 MB. */
const SPANS_A_PART = 20_000

export interface TracesAsk {
  bytes: Uint8Array
  isProtobuf: boolean
  frameMarker: string | undefined
}

/**
 * Stores what a request brings; resolves when that is committed.
 * @returns the answer, in the encoding of the request: it says what was passed over
 * @throws ProblemError 400 for what is no such request
 */
export async function takeTraces(store: Store, ask: TracesAsk): Promise<Uint8Array<ArrayBuffer>> {
  const skipped = new Skipped()
  for (const resource of readOtlp(decoded(ask), skipped, ask.frameMarker)) {
    const why = await keep(store, resource)
    if (why !== null) skipped.add(why)
  }
  const { count, summary } = skipped
  const answer = summary === null ? {} : { partialSuccess: { rejectedSpans: count, errorMessage: summary } }
  return ask.isProtobuf
    ? new Uint8Array(encodeResponse(answer))
    : new TextEncoder().encode(JSON.stringify(answer))
}

function decoded({ bytes, isProtobuf }: TracesAsk): unknown {
  try {
    return isProtobuf ? decodeRequest(bytes) : JSON.parse(Buffer.from(bytes).toString('utf8'))
  } catch (error) {
    throw new ProblemError(400, `the body is not an ExportTraceServiceRequest: ${(error as Error).message}`)
  }
}

/** @returns why it was not kept; null when it was */
async function keep(store: Store, resource: OtlpResource): Promise<string | null> {
  const { service, instance, spans } = resource
  const instanceHash = createHash('sha256').update(`${service}\n${instance}`).digest('hex')
  const bodies: Buffer[] = []
  for (let first = 0; first < spans.length; first += SPANS_A_PART)
    bodies.push(await pack(serialize({ ...resource, spans: spans.slice(first, first + SPANS_A_PART) })))
  return transact(store.database, async (transaction) => {
    const now = new Date()
    const known = await store.traceStreams.findByPk(instanceHash, { transaction, raw: true })
    if (known === null) {
      if ((await store.traceStreams.count({ transaction })) >= MOST_STREAMS)
        return `more than ${MOST_STREAMS} service instances at once`
      await store.traceStreams.bulkCreate(
        [{ instanceHash, service, takeId: randomUUID(), lastAt: now }],
        // Another server may have been faster.
        { transaction, ignoreDuplicates: true },
      )
    } else await store.traceStreams.update({ lastAt: now }, { where: { instanceHash }, transaction })
    if (known?.stoppedAt)
      return `somebody ended this recording; it begins anew after ${IDLE_MS / 1000} s of silence`
    for (const body of bodies) await store.traceParts.create({ instanceHash, body }, { transaction })
    return null
  })
}
