/** The probe for browsers. */
import { INGEST_PATH } from '@lapsus/core/format'
import { browserMemory } from './browser-memory.ts'
import { drawInPage } from './draw-picture.ts'
import { noteProbe } from './marks/marks.ts'
import { ingestAddresses, readOptions, recordingOptions, type ProbeOptions } from './options.ts'
import { browserPlaces } from './browser-places.ts'
import { Probe } from './probe.ts'
import { SafeSink } from './sinks/safe.ts'
import type { ProblemListener, Sink } from './sinks/sink.ts'
import { WebSocketSink, type Socket } from './sinks/websocket.ts'

export * from './exports.ts'

/** Makes the probe of a game. Nothing is sent before the first `frame()`. */
export function createProbe(options: ProbeOptions): Probe {
  const given = readOptions(options)
  const { onProblem, to } = given
  const memory = given.heap === null ? browserMemory : { ...browserMemory, heap: given.heap }
  const sink =
    typeof to === 'string'
      ? sinkAt(to, given.key, given.mostBytes, onProblem)
      : to === null
        ? null
        : new SafeSink(to, onProblem)
  const probe = new Probe({
    game: given.game,
    target: given.target,
    sink,
    take: given.take ?? newIdentity(),
    writer: newIdentity(),
    conditions: {
      device: `${navigator.platform}, ${navigator.hardwareConcurrency} processors`,
      runtime: navigator.userAgent.slice(0, 200),
      ...given.conditions,
    },
    memory,
    machine: null,
    takeNow: null,
    places: browserPlaces,
    draw: drawInPage,
    ...recordingOptions(options, memory.heap !== null, onProblem),
  })
  noteProbe(probe)
  if (sink instanceof WebSocketSink) {
    // The page is left for good, or may be: what there is goes to the connection at once.
    globalThis.addEventListener?.('pagehide', (event) => {
      if ((event as PageTransitionEvent).persisted) return
      probe.finish()
      sink.flushNow()
    })
  }
  return probe
}

function sinkAt(
  to: string,
  key: string | undefined,
  mostBytes: number,
  onProblem: ProblemListener,
): Sink | null {
  const addresses = ingestAddresses(to, INGEST_PATH)
  if (addresses === null || addresses.length === 0) {
    onProblem(
      `Lapsus: "to" must be the address of a running Lapsus in a browser, got "${to.slice(0, 200)}"; nothing is recorded`,
    )
    return null
  }
  return new WebSocketSink(
    addresses,
    (address, protocol) => {
      const url = new URL(address)
      if (key !== undefined && key !== '') url.searchParams.set('key', key)
      return new WebSocket(url.href, protocol) as unknown as Socket
    },
    mostBytes,
    onProblem,
  )
}

/** crypto.randomUUID is only there in secure contexts; a game may be played from any machine of a network. */
function newIdentity(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(16))
  return Array.from(bytes, (byte) => byte.toString(16).padStart(2, '0')).join('')
}
