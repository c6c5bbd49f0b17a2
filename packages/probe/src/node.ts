/** The probe for Node. */
import { randomUUID } from 'node:crypto'
import { cpus } from 'node:os'
import { ENV_TAKE, ENV_TO } from '@lapsus/core/format'
import { WebSocket } from 'ws'
import { DEFAULT_BUFFER_MB, DEFAULT_TARGET, isWebSocketAddress, type ProbeOptions } from './options.ts'
import { Probe } from './probe.ts'
import { FileSink } from './sinks/file.ts'
import type { ProblemListener, Sink } from './sinks/sink.ts'
import { WebSocketSink, type Socket } from './sinks/websocket.ts'

export type { ProbeOptions } from './options.ts'
export type { GaugeId, Probe } from './probe.ts'
export type { Sink } from './sinks/sink.ts'
export type { MarkerId, MarkerOptions } from './span-recorder.ts'
export type { LaneProbe } from './lane-link.ts'

/**
 * Makes the probe of a game. Nothing is sent before the first `frame()`. The environment variables
 * LAPSUS_TO and LAPSUS_TAKE override where the take goes and its identity.
 */
export function createProbe(options: ProbeOptions): Probe {
  const onProblem = options.onProblem ?? ((message) => console.warn(message))
  const to = process.env[ENV_TO] ?? options.to
  const mostBytes = (options.bufferMb ?? DEFAULT_BUFFER_MB) * 2 ** 20
  const sink = to === undefined ? null : typeof to === 'object' ? to : sinkAt(to, mostBytes, onProblem)
  const probe = new Probe({
    game: options.game,
    target: options.target ?? DEFAULT_TARGET,
    sink,
    take: process.env[ENV_TAKE] ?? randomUUID(),
    conditions: {
      device: cpus()[0]?.model.trim() || process.arch,
      runtime: `Node.js ${process.versions.node}`,
      ...options.conditions,
    },
  })
  if (sink instanceof FileSink) {
    // A game that just ends still gets its whole take.
    process.once('exit', () => {
      probe.finish()
      sink.closeNow()
    })
  }
  return probe
}

function sinkAt(to: string, mostBytes: number, onProblem: ProblemListener): Sink {
  if (!isWebSocketAddress(to)) return new FileSink(to, mostBytes, onProblem)
  return new WebSocketSink(to, (url) => new WebSocket(url) as unknown as Socket, mostBytes, onProblem)
}
