/**
 * A game whose frames are numbered: `sender.ts ADDRESS TAKE [FRAME_MS SPANS]`. Says on standard output, in whole lines, how many
 * frames are acknowledged ("acknowledged N"), and at the end, when its input closes, how many it made ("made N").
 */
import { writeSync } from 'node:fs'
import { WebSocket } from 'ws'
import { decodeRecord, INGEST_PATH, readIngestMessage, type TakeRecord } from '@lapsus/core/format'
import { createProbe } from '../../../packages/probe/src/node.ts'
import { WebSocketSink, type Socket } from '../../../packages/probe/src/sinks/websocket.ts'
import { writeSpool } from '../../../packages/probe/src/spool.ts'
import { NUMBER_GAUGE } from './frames.ts'

const [, , address = '', take = '', frameMs = '4', spans = '60'] = process.argv
const FRAME_MS = Number(frameMs)
const SPANS = Number(spans)
const say = (line: string) => writeSync(1, `${line}\n`)

/** Frames in all records up to each number. */
const framesUpTo = new Map<number, number>([[0, 0]])
let sent = 0
let acknowledged = 0

/** The product's own sink; only what comes in is looked at as well. */
const urls = address.split(',').map((one) => one.replace('http', 'ws') + INGEST_PATH)
const sink = new WebSocketSink(
  urls,
  (url, protocol) => {
    const socket = new WebSocket(url, protocol, { perMessageDeflate: false })
    socket.on('message', (data, isBinary) => {
      const message = isBinary ? null : readIngestMessage(String(data))
      const frames = message?.type === 'ack' ? framesUpTo.get(message.ack) : undefined
      if (frames === undefined || frames <= acknowledged) return
      acknowledged = frames
      say(`acknowledged ${frames}`)
    })
    return socket as unknown as Socket
  },
  64 * 2 ** 20,
  (problem) => say(`problem ${problem}`),
  (left) => {
    const { take, writer = '' } = decodeRecord(left.head, { record: 0, offset: 0 }) as TakeRecord
    return writeSpool(urls[0]!, { take, writer, key: undefined }, left)
  },
)
const put = sink.put.bind(sink)
sink.put = (bytes, sequence) => {
  if (sequence > 0) {
    const record = decodeRecord(bytes, { record: sequence, offset: 0 })
    if (record.record === 'chunk') sent += record.frameStartNs.length
    framesUpTo.set(sequence, sent)
  }
  put(bytes, sequence)
}

const probe = createProbe({ game: 'Fault Suite', target: Math.round(1000 / FRAME_MS), take, to: sink })
const STEP = probe.marker('step')
const PART = probe.marker('part')
const NUMBER = probe.gaugeId(NUMBER_GAUGE)

let frames = 0
let isEnding = false
process.stdin.on('close', () => (isEnding = true)).resume()

const timer = setInterval(() => {
  if (isEnding) {
    clearInterval(timer)
    void probe.close().then(() => {
      say(`made ${frames}`)
      process.exit(0)
    })
    return
  }
  probe.frame()
  probe.gauge(NUMBER, frames++)
  probe.enter(STEP)
  for (let i = 0; i < SPANS; i++) probe.run(PART, () => {})
  probe.leave()
}, FRAME_MS)
