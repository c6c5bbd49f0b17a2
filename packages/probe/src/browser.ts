/** The probe for browsers. */
import { browserMemory } from './browser-memory.ts'
import {
  DEFAULT_BUFFER_MB,
  DEFAULT_TARGET,
  isWebSocketAddress,
  recordingOptions,
  type ProbeOptions,
} from './options.ts'
import { Probe } from './probe.ts'
import type { Sink } from './sinks/sink.ts'
import { WebSocketSink, type Socket } from './sinks/websocket.ts'

export * from './exports.ts'

/** Makes the probe of a game. Nothing is sent before the first `frame()`. */
export function createProbe(options: ProbeOptions): Probe {
  const onProblem = options.onProblem ?? ((message) => console.warn(message))
  const memory = options.heap === undefined ? browserMemory : { ...browserMemory, heap: options.heap }
  return new Probe({
    game: options.game,
    target: options.target ?? DEFAULT_TARGET,
    sink: sinkOf(options, onProblem),
    take: options.take ?? newIdentity(),
    conditions: { runtime: navigator.userAgent.slice(0, 200), ...options.conditions },
    memory,
    ...recordingOptions(options, memory.heap !== null, onProblem),
  })
}

function sinkOf(
  { to, bufferMb = DEFAULT_BUFFER_MB }: ProbeOptions,
  onProblem: (message: string) => void,
): Sink | null {
  if (to === undefined || typeof to === 'object') return to ?? null
  if (isWebSocketAddress(to)) {
    return new WebSocketSink(
      to,
      (url) => new WebSocket(url) as unknown as Socket,
      bufferMb * 2 ** 20,
      onProblem,
    )
  }
  onProblem(`Lapsus: "to" must be a ws:// or wss:// address in a browser, got "${to}"; nothing is recorded`)
  return null
}

/** crypto.randomUUID is only there in secure contexts; a game may be played from any machine of a network. */
function newIdentity(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(16))
  return Array.from(bytes, (byte) => byte.toString(16).padStart(2, '0')).join('')
}
