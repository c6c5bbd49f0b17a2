/** Good input for every entrance, to be made bad. */
import { trace, context } from '@opentelemetry/api'
import { OTLPTraceExporter } from '@opentelemetry/exporter-trace-otlp-proto'
import { resourceFromAttributes } from '@opentelemetry/resources'
import { BasicTracerProvider, SimpleSpanProcessor } from '@opentelemetry/sdk-trace-base'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { exporter } from '@lapsus/core/exchange'
import { encodeRecord, type AnyRecord } from '@lapsus/core/format'
import { richTake } from '../../../packages/core/test/support/rich-take.ts'

export const takeFile = (records: AnyRecord[] = richTake()): Uint8Array =>
  Buffer.concat(records.map(encodeRecord))

function exported(format: 'jsonl' | 'otlp'): string {
  return richTake().map(exporter(format)).join('')
}

/** The same as JSON lines, each a value. */
export const jsonLines = (): unknown[] =>
  exported('jsonl')
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line) as unknown)

export const otlpJson = (): unknown => JSON.parse(exported('otlp').trim().split('\n')[0]!) as unknown

export const timeline = (): unknown => ({
  timeOrigin: 1_750_000_000_000,
  frameMarker: 'frame',
  entries: Array.from({ length: 6 }, (_, i) => [
    { name: 'frame', entryType: 'measure', startTime: i * 16, duration: 15, detail: null },
    { name: 'sim', entryType: 'measure', startTime: i * 16 + 1, duration: 8, detail: { kind: 'work' } },
    { name: 'bell', entryType: 'mark', startTime: i * 16 + 3, duration: 0, detail: { shift: i } },
  ]).flat(),
})

/** What the real SDK sends as protobuf. */
export async function otlpProtobuf(): Promise<Uint8Array> {
  let caught: (body: Uint8Array) => void
  const body = new Promise<Uint8Array>((resolve) => (caught = resolve))
  const server = createServer((request, response) => {
    const pieces: Buffer[] = []
    request.on('data', (piece: Buffer) => pieces.push(piece))
    request.on('end', () => {
      response.end()
      caught(Buffer.concat(pieces))
    })
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/v1/traces`
  const provider = new BasicTracerProvider({
    resource: resourceFromAttributes({ 'service.name': 'Traced', 'service.instance.id': 'one' }),
    spanProcessors: [new SimpleSpanProcessor(new OTLPTraceExporter({ url }))],
  })
  const tracer = provider.getTracer('game')
  const frame = tracer.startSpan('turn', { attributes: { 'lapsus.frame': 0, 'thread.name': 'main' } })
  const inside = tracer.startSpan('sim', {}, trace.setSpan(context.active(), frame))
  inside.addEvent('bell', { shift: 1 })
  inside.setAttribute('lapsus.effect', false)
  inside.end()
  const bytes = await body
  frame.end()
  await provider.shutdown().catch(() => {})
  server.close()
  server.closeAllConnections()
  return bytes
}
