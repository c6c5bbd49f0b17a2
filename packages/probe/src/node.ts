/** The probe for Node. */
import { randomUUID } from 'node:crypto'
import { cpus } from 'node:os'
import { ENV_OPTIONS, ENV_TAKE, ENV_TO } from '@lapsus/core/format'
import { WebSocket } from 'ws'
import { nodeMemory } from './node-memory.ts'
import {
  DEFAULT_BUFFER_MB,
  DEFAULT_TARGET,
  isWebSocketAddress,
  recordingOptions,
  type ProbeOptions,
  type RecordingOptions,
} from './options.ts'
import { Probe } from './probe.ts'
import { FileSink } from './sinks/file.ts'
import type { ProblemListener, Sink } from './sinks/sink.ts'
import { WebSocketSink, type Socket } from './sinks/websocket.ts'

export * from './exports.ts'

/**
 * Makes the probe of a game. Nothing is sent before the first `frame()`. The environment variables
 * LAPSUS_TO, LAPSUS_TAKE and LAPSUS_OPTIONS override where the take goes, its identity and how it is
 * recorded.
 */
export function createProbe(options: ProbeOptions): Probe {
  const onProblem = options.onProblem ?? ((message) => console.warn(message))
  const to = process.env[ENV_TO] ?? options.to
  const mostBytes = (options.bufferMb ?? DEFAULT_BUFFER_MB) * 2 ** 20
  const sink = to === undefined ? null : typeof to === 'object' ? to : sinkAt(to, mostBytes, onProblem)
  const memory = options.heap === undefined ? nodeMemory : { ...nodeMemory, heap: options.heap }
  const recording = { ...options, ...optionsFromEnvironment(onProblem) }
  const probe = new Probe({
    game: options.game,
    target: options.target ?? DEFAULT_TARGET,
    sink,
    take: process.env[ENV_TAKE] ?? options.take ?? randomUUID(),
    conditions: {
      device: cpus()[0]?.model.trim() || process.arch,
      runtime: `Node.js ${process.versions.node}`,
      ...options.conditions,
    },
    memory,
    ...recordingOptions(recording, memory.heap !== null, onProblem),
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

function optionsFromEnvironment(onProblem: ProblemListener): RecordingOptions {
  const json = process.env[ENV_OPTIONS]
  if (json === undefined || json === '') return {}
  try {
    return JSON.parse(json) as RecordingOptions
  } catch {
    onProblem(`Lapsus: ${ENV_OPTIONS} must hold JSON; it is ignored`)
    return {}
  }
}
