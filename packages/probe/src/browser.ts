/** The probe for browsers. */
import { DEFAULT_BUFFER_MB, DEFAULT_TARGET, isWebSocketAddress, type ProbeOptions } from './options.ts'
import { Probe } from './probe.ts'
import type { Sink } from './sinks/sink.ts'
import { WebSocketSink, type Socket } from './sinks/websocket.ts'

export type { ProbeOptions } from './options.ts'
export type { GaugeId, Probe } from './probe.ts'
export type { Sink } from './sinks/sink.ts'
export type { MarkerId, MarkerOptions } from './span-recorder.ts'
export type { LaneProbe } from './lane-link.ts'

/** Makes the probe of a game. Nothing is sent before the first `frame()`. */
export function createProbe(options: ProbeOptions): Probe {
  const onProblem = options.onProblem ?? ((message) => console.warn(message))
  return new Probe({
    game: options.game,
    target: options.target ?? DEFAULT_TARGET,
    sink: sinkOf(options, onProblem),
    take: crypto.randomUUID(),
    conditions: { runtime: navigator.userAgent.slice(0, 200), ...options.conditions },
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
