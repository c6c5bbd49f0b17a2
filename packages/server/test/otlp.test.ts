/** OpenTelemetry traces over HTTP, sent by the real SDK in both encodings. */
import { readAnswer } from '@lapsus/core/questions'
import { PAGE } from '@lapsus/core/questions/page'
import type { LedgerAnswer } from '@lapsus/core/questions/ledger'
import { expect } from 'chai'
import { context, trace, type Tracer } from '@opentelemetry/api'
import { OTLPTraceExporter as JsonExporter } from '@opentelemetry/exporter-trace-otlp-http'
import { OTLPTraceExporter as ProtobufExporter } from '@opentelemetry/exporter-trace-otlp-proto'
import { resourceFromAttributes } from '@opentelemetry/resources'
import { BasicTracerProvider, BatchSpanProcessor } from '@opentelemetry/sdk-trace-base'
import { gzipSync } from 'node:zlib'
import { type TakeDetail, type TakeSummary } from '@lapsus/api'
import type { RunningServer } from '../src/index.ts'
import { freshDatabase, getJson, testServer, until } from './support.ts'

const FRAMES = 40

/** A game loop in spans: each frame has a simulation with two parts, and a wait. */
async function play(tracer: Tracer): Promise<void> {
  for (let i = 0; i < FRAMES; i++) {
    const frame = tracer.startSpan('turn', { attributes: { 'lapsus.frame': i, 'thread.name': 'main' } })
    const inFrame = trace.setSpan(context.active(), frame)
    const sim = tracer.startSpan('sim', { attributes: { 'thread.name': 'main' } }, inFrame)
    for (const part of ['physics', 'ai']) {
      const span = tracer.startSpan(
        part,
        { attributes: { 'thread.name': 'main' } },
        trace.setSpan(inFrame, sim),
      )
      const end = performance.now() + 0.4
      while (performance.now() < end);
      if (part === 'ai') span.setAttribute('lapsus.effect', false)
      span.end()
    }
    if (i === 10) sim.addEvent('bell', { shift: 1 })
    sim.end()
    const wait = tracer.startSpan(
      'swap',
      { attributes: { 'lapsus.kind': 'wait:graphics', 'thread.name': 'main' } },
      inFrame,
    )
    await new Promise((resolve) => setTimeout(resolve, 2))
    wait.end()
    frame.end()
  }
}

describe('OpenTelemetry over HTTP', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  const send = (body: string | Uint8Array, headers: Record<string, string>, query = '') =>
    fetch(`${server.address}/v1/traces${query}`, { method: 'POST', body: body as BodyInit, headers })
  const json = { 'content-type': 'application/json' }
  const takesOf = async (game: string) =>
    getJson<TakeSummary[]>(server, `/api/takes?game=${encodeURIComponent(game)}`)

  for (const [encoding, Exporter] of [
    ['protobuf', ProtobufExporter],
    ['JSON', JsonExporter],
  ] as const) {
    it(`takes what the SDK sends as ${encoding}: every frame, nested, with kinds, effects and moments`, async () => {
      const game = `Traced as ${encoding}`
      const provider = new BasicTracerProvider({
        resource: resourceFromAttributes({ 'service.name': game, 'service.instance.id': encoding }),
        spanProcessors: [
          new BatchSpanProcessor(new Exporter({ url: `${server.address}/v1/traces` }), {
            maxExportBatchSize: 16,
            scheduledDelayMillis: 50,
          }),
        ],
      })
      await play(provider.getTracer('game code'))
      await provider.forceFlush()
      await until(async () => (await takesOf(game))[0]?.frames === FRAMES, 'all frames are in')
      const [take] = await takesOf(game)
      expect(take).to.include({ state: 'recording', frames: FRAMES })
      const detail = await getJson<TakeDetail>(server, `/api/takes/${take!.id}`)
      expect(detail.markers.map(({ name, kind }) => [name, kind])).to.have.deep.members([
        ['sim', 'work'],
        ['physics', 'work'],
        ['ai', 'work'],
        ['swap', 'wait:graphics'],
      ])
      expect(detail.moments).to.have.length(1)
      expect(detail.moments[0]).to.deep.include({ name: 'bell', frame: 10, data: { shift: 1 } })
      expect(detail.conditions.more).to.include({ source: 'OpenTelemetry', 'service.instance.id': encoding })
      const ledger = await getJson<LedgerAnswer>(
        server,
        `/api/takes/${take!.id}/ledger?from=0&to=${FRAMES - 1}&by=marker`,
      )
      const rows = new Map(
        ledger.rows.map((row) => [detail.markers.find(({ id }) => id === row.key)!.name, row]),
      )
      expect(rows.get('ai')).to.include({ calls: FRAMES, said: FRAMES, needless: FRAMES })
      expect(rows.get('sim')!.totalMs).to.be.greaterThan(
        rows.get('physics')!.totalMs + rows.get('ai')!.totalMs - 1,
      )
      const bytes = await (await fetch(`${server.address}/api/takes/${take!.id}/pages/10`)).arrayBuffer()
      const page = readAnswer(PAGE, new Uint8Array(bytes))
      const depths = [...page.path].map((path) => {
        let depth = 0
        for (let at = detail.paths[path]!.parent; at >= 0; at = detail.paths[at]!.parent) depth++
        return depth
      })
      expect(depths).to.deep.equal([0, 1, 1, 0])
      await provider.shutdown()
    })
  }

  it('says which spans it passed over, in the response that the protocol has for it', async () => {
    const body = {
      resourceSpans: [{ scopeSpans: [{ spans: [{ name: 'x', startTimeUnixNano: 'never' }] }] }],
    }
    const response = await send(JSON.stringify(body), json)
    expect(response.status).to.equal(200)
    const { partialSuccess } = (await response.json()) as {
      partialSuccess: { rejectedSpans: number; errorMessage: string }
    }
    expect(partialSuccess.rejectedSpans).to.equal(1)
    expect(partialSuccess.errorMessage).to.contain('span 0: expected "startTimeUnixNano"')
  })

  it('takes gzip and a frame marker, and closes a take that has gone quiet', async () => {
    const span = (name: string, from: number, to: number) => ({
      name,
      startTimeUnixNano: String(1_700_000_000_000_000_000n + BigInt(from)),
      endTimeUnixNano: String(1_700_000_000_000_000_000n + BigInt(to)),
    })
    const spans = [span('work', 10, 500), span('tick', 0, 1000), span('tick', 1000, 2500)]
    const resource = { attributes: [{ key: 'service.name', value: { stringValue: 'Quiet' } }] }
    const body = gzipSync(JSON.stringify({ resourceSpans: [{ resource, scopeSpans: [{ spans }] }] }))
    const response = await send(body, { ...json, 'content-encoding': 'gzip' }, '?frame-marker=tick')
    expect(response.status).to.equal(200)
    await until(async () => (await takesOf('Quiet'))[0]?.frames === 2, 'the frames are in')
    expect((await takesOf('Quiet'))[0]).to.include({ frames: 2, spans: 1 })
    await until(async () => (await takesOf('Quiet'))[0]!.state === 'complete', 'the take is closed')
  })

  it('ends a take that somebody stops or discards, though the game goes on', async () => {
    const frames = (from: number) =>
      Array.from({ length: 5 }, (_, i) => ({
        name: 'tick',
        startTimeUnixNano: String(1_700_000_000_000_000_000n + BigInt(from + i) * 16_000_000n),
        endTimeUnixNano: String(1_700_000_000_000_000_000n + BigInt(from + i + 1) * 16_000_000n),
      }))
    for (const [wish, code, state] of [
      ['stop', 202, 'complete'],
      ['discard', 204, null],
    ] as const) {
      const game = `Unwanted ${wish}`
      const resource = { attributes: [{ key: 'service.name', value: { stringValue: game } }] }
      const more = async (from: number) => {
        const body = JSON.stringify({ resourceSpans: [{ resource, scopeSpans: [{ spans: frames(from) }] }] })
        return (await (await send(body, json, '?frame-marker=tick')).json()) as {
          partialSuccess?: { errorMessage: string }
        }
      }
      await more(0)
      await until(async () => (await takesOf(game))[0]?.frames === 5, 'the frames are in')
      const [take] = await takesOf(game)
      const wished = await fetch(`${server.address}/api/takes/${take!.id}/${wish}`, { method: 'POST' })
      expect(wished.status).to.equal(code)
      await until(async () => ((await takesOf(game))[0]?.state ?? null) === state, 'the take is closed')
      await until(
        async () => ((await more(10)).partialSuccess?.errorMessage ?? '').includes('ended this recording'),
        'the game is told',
      )
      expect(await takesOf(game)).to.have.length(state === null ? 0 : 1)
    }
  })

  it('makes one take of what comes to two servers, though one of them dies', async () => {
    const databaseUrl = await freshDatabase()
    const [one, other] = [await testServer({ databaseUrl }), await testServer({ databaseUrl })]
    const frame = (i: number) => [
      {
        name: 'tick',
        startTimeUnixNano: String(1_700_000_000_000_000_000n + BigInt(i) * 16_000_000n),
        endTimeUnixNano: String(1_700_000_000_000_000_000n + BigInt(i + 1) * 16_000_000n),
      },
      {
        name: `part ${i % 3}`,
        startTimeUnixNano: String(1_700_000_000_000_000_000n + BigInt(i) * 16_000_000n + 1_000n),
        endTimeUnixNano: String(1_700_000_000_000_000_000n + BigInt(i) * 16_000_000n + 9_000_000n),
      },
    ]
    const resource = { attributes: [{ key: 'service.name', value: { stringValue: 'Halves' } }] }
    const put = async ({ address }: RunningServer, from: number, to: number) => {
      const spans = Array.from({ length: to - from }, (_, i) => frame(from + i)).flat()
      const body = JSON.stringify({ resourceSpans: [{ resource, scopeSpans: [{ spans }] }] })
      const response = await fetch(`${address}/v1/traces?frame-marker=tick`, {
        method: 'POST',
        body,
        headers: json,
      })
      expect(response.status).to.equal(200)
    }
    const take = async () => (await getJson<TakeSummary[]>(other, '/api/takes'))[0]
    for (let i = 0; i < 10; i++) await put(i % 2 === 0 ? one : other, i * 10, (i + 1) * 10)
    await until(async () => ((await take())?.frames ?? 0) > 0, 'frames are put together')
    // Its threads die; what they had in hand is taken over by the other, from the beginning.
    await Promise.all(one.pool.workers('recordings').map((thread) => thread.terminate()))
    await one.store.database.query(
      "UPDATE leases SET until = NOW(3) - INTERVAL 1 SECOND WHERE name LIKE 'traces%'",
    )
    await one.stop()
    for (let i = 10; i < 14; i++) await put(other, i * 10, (i + 1) * 10)
    await until(async () => (await take())?.frames === 140, 'all frames are in')
    const { id, spans } = (await take())!
    expect(spans).to.equal(140)
    expect(await getJson<TakeSummary[]>(other, '/api/takes')).to.have.length(1)
    const bytes = await (await fetch(`${other.address}/api/takes/${id}/pages/77`)).arrayBuffer()
    expect(readAnswer(PAGE, new Uint8Array(bytes)).path).to.have.length(1)
    await until(async () => (await take())!.state === 'complete', 'the take is closed')
    await until(async () => (await other.store.traceStreams.count()) === 0, 'what had arrived is forgotten')
    expect(await other.store.traceParts.count()).to.equal(0)
    await other.stop()
  })

  it('refuses what is no such request, in words', async () => {
    const status = async (body: string | Uint8Array, headers: Record<string, string>) => {
      const response = await send(body, headers)
      return [response.status, ((await response.json()) as { detail: string }).detail] as const
    }
    expect(await status('{', json)).to.satisfy(
      ([code, words]: [number, string]) => code === 400 && words.includes('not an Export'),
    )
    expect((await status(Uint8Array.of(1, 2, 3), { 'content-type': 'application/x-protobuf' }))[0]).to.equal(
      400,
    )
    expect((await status('x', { 'content-type': 'text/plain' }))[0]).to.equal(415)
    expect((await status('x', { ...json, 'content-encoding': 'br' }))[0]).to.equal(415)
    expect((await status('x', { ...json, 'content-encoding': 'gzip' }))[1]).to.contain('not good gzip')
    const bomb = gzipSync(Buffer.alloc(64 * 1024 * 1024))
    expect((await status(bomb, { ...json, 'content-encoding': 'gzip' }))[1]).to.contain('at most')
  })
})
