/** The probe for Node. */
import { randomUUID } from 'node:crypto'
import { connect as connectPlain, type NetConnectOpts } from 'node:net'
import { cpus } from 'node:os'
import { connect as connectSecure, type ConnectionOptions } from 'node:tls'
import { ENV_KEY, ENV_OPTIONS, ENV_TAKE, ENV_TO, INGEST_PATH } from '@lapsus/core/format'
import { receiveMessageOnPort, type MessagePort } from 'node:worker_threads'
import { WebSocket } from 'ws'
import { noDrawing } from './draw-picture.ts'
import { safely } from './given.ts'
import { noteProbe } from './marks/marks.ts'
import { nodeMachine } from './node-machine.ts'
import { nodeMemory } from './node-memory.ts'
import { goodIdentity, ingestAddresses, readOptions, recordingOptions, type ProbeOptions } from './options.ts'
import { nodePlaces } from './node-places.ts'
import { Probe } from './probe.ts'
import { FileSink } from './sinks/file.ts'
import { SafeSink } from './sinks/safe.ts'
import type { ProblemListener, Sink } from './sinks/sink.ts'
import { WebSocketSink, type Connect, type Socket } from './sinks/websocket.ts'
import { sendSpooled, writeSpool } from './spool.ts'

export * from './exports.ts'

const SIGNALS = ['SIGTERM', 'SIGINT', 'SIGHUP'] as const

/**
 * Makes the probe of a game. Nothing is sent before the first `frame()`. The environment variables LAPSUS_TO,
 * LAPSUS_KEY, LAPSUS_TAKE and LAPSUS_OPTIONS override where the take goes, its identity and how it is recorded.
 */
export function createProbe(options: ProbeOptions): Probe {
  const { env } = process
  const given = readOptions(options)
  const { onProblem } = given
  const writer = randomUUID()
  const take = goodIdentity(env[ENV_TAKE]) ?? given.take ?? randomUUID()
  const to = env[ENV_TO] || given.to
  const sink =
    typeof to === 'string'
      ? sinkAt(to, env[ENV_KEY] ?? given.key, { take, writer, mostBytes: given.mostBytes, onProblem })
      : to === null
        ? null
        : new SafeSink(to, onProblem)
  const memory = given.heap === null ? nodeMemory : { ...nodeMemory, heap: given.heap }
  const recording = { ...safely((): object => ({ ...options }), {}), ...optionsFromEnvironment(onProblem) }
  const probe = new Probe({
    game: given.game,
    target: given.target,
    sink,
    take,
    writer,
    conditions: {
      device: (cpus()[0]?.model.trim() || process.arch).slice(0, 200),
      runtime: `Node.js ${process.versions.node}`,
      ...given.conditions,
    },
    memory,
    machine: sink === null ? null : nodeMachine(),
    takeNow: (channel) => receiveMessageOnPort(channel as MessagePort),
    places: nodePlaces,
    draw: noDrawing,
    ...recordingOptions(recording, memory.heap !== null, onProblem),
  })
  if (sink instanceof FileSink || sink instanceof WebSocketSink) deliverAtTheEnd(probe, sink)
  noteProbe(probe)
  return probe
}

/** A game that just ends, or is ended, still gets its whole take. */
function deliverAtTheEnd(probe: Probe, sink: FileSink | WebSocketSink): void {
  // Nothing holds the loop any more: there is time to deliver in good order.
  process.once('beforeExit', () => void probe.close())
  // Nothing asynchronous runs any more.
  const atOnce = () => {
    probe.finish()
    sink.closeNow()
  }
  process.once('exit', atOnce)
  for (const signal of SIGNALS) {
    const onSignal = () => {
      // A game that listens itself decides what becomes of it.
      if (process.listenerCount(signal) > 1) return
      atOnce()
      process.removeListener(signal, onSignal)
      process.kill(process.pid, signal)
    }
    process.on(signal, onSignal)
  }
}

interface Recipient {
  take: string
  writer: string
  mostBytes: number
  onProblem: ProblemListener
}

function sinkAt(to: string, key: string | undefined, recipient: Recipient): Sink | null {
  const { take, writer, mostBytes, onProblem } = recipient
  const addresses = ingestAddresses(to, INGEST_PATH)
  if (addresses === null) return new FileSink(to, mostBytes, onProblem)
  const [first] = addresses
  if (first === undefined) {
    onProblem(`Lapsus: "${to.slice(0, 200)}" is no address; nothing is recorded`)
    return null
  }
  const connectWith = (shown: string | undefined, url: string, protocol: string) =>
    unheldSocket(withKey(url, shown ?? key), protocol)
  const connect: Connect = (url, protocol) => connectWith(key, url, protocol)
  void sendSpooled(first, connectWith, onProblem).catch(() => {})
  return new WebSocketSink(addresses, connect, mostBytes, onProblem, (undelivered) =>
    writeSpool(first, { take, writer, key }, undelivered),
  )
}

function withKey(url: string, key: string | undefined): string {
  if (key === undefined || key === '') return url
  const address = new URL(url)
  address.searchParams.set('key', key)
  return address.href
}

/** A connection that does not keep the game's process alive. */
function unheldSocket(url: string, protocol: string): Socket {
  const socket = new WebSocket(url, protocol, {
    perMessageDeflate: false,
    createConnection: ((options: NetConnectOpts & ConnectionOptions) => {
      const raw = url.startsWith('wss:') ? connectSecure(options) : connectPlain(options)
      raw.unref()
      return raw
    }) as never,
  })
  return socket as unknown as Socket
}

function optionsFromEnvironment(onProblem: ProblemListener): object {
  const json = process.env[ENV_OPTIONS]
  if (json === undefined || json === '') return {}
  const value: unknown = safely(() => JSON.parse(json) as unknown, null)
  if (value !== null && typeof value === 'object') return value
  onProblem(`Lapsus: ${ENV_OPTIONS} must hold JSON; it is ignored`)
  return {}
}
