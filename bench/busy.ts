/** A server that is kept busy: sixteen games record at their own pace while a long take is diagnosed and exported. */
import type { LoadReport } from '@lapsus/api'
import { Game } from './game.ts'
import { chunks, SPANS_PER_FRAME } from './made-up-take.ts'
import { summary, type Summary } from './statistics.ts'
import { percentile } from '@lapsus/core/stats'
import { readAll } from './read-all.ts'

const GAMES = 16
export const BUSY_S = 40
/** 60 frames a second of 1,000 spans: a chunk of 128 frames of 500 in so long. */
const CHUNK_EVERY_MS = (128 * SPANS_PER_FRAME) / 60
const HEALTH_EVERY_MS = 50

export interface Busy {
  spansPerSecond: number
  /** Ms. */
  acknowledged: Summary & { p99: number }
  health: Summary & { p99: number }
  late: LoadReport['late']
  /** Most in the first and in the second half. */
  residentMb: { firstHalf: number; secondHalf: number }
}

/**
 * @param take a long one
 * @param residentMb of the server, now
 */
export async function measureBusy(address: string, take: string, residentMb: () => number): Promise<Busy> {
  const encoded = chunks()
  const games = await Promise.all(
    Array.from({ length: GAMES }, (_, i) => Game.begin(address, `busy-game-${i}`)),
  )
  const acknowledged: number[] = []
  const health: number[] = []
  const memory: number[] = []
  let spans = 0
  const endMs = performance.now() + BUSY_S * 1000
  const isOver = () => performance.now() > endMs
  // All games send the same frames: making them costs more than sending.
  const pieces = Array.from({ length: BUSY_S + 2 }, () => encoded.next().value as Uint8Array)
  const playing = games.map(async (game, i) => {
    await pause((i * CHUNK_EVERY_MS) / GAMES)
    for (let n = 0; !isOver() && n < pieces.length; n++) {
      const sentMs = performance.now()
      game.send(pieces[n]!)
      await game.committed(n + 2)
      spans += 128 * SPANS_PER_FRAME
      acknowledged.push(performance.now() - sentMs)
      await pause(CHUNK_EVERY_MS - (performance.now() - sentMs))
    }
  })
  const asking = (async () => {
    while (!isOver()) {
      const startMs = performance.now()
      await (await fetch(`${address}/health`)).text()
      health.push(performance.now() - startMs)
      memory.push(residentMb())
      await pause(HEALTH_EVERY_MS)
    }
  })()
  const working = (async () => {
    for (let target = 61; !isOver(); target++) {
      await (await fetch(`${address}/api/takes/${take}/diagnosis?target=${target}`)).arrayBuffer()
      const file = await fetch(`${address}/api/takes/${take}/file?format=lapsus`)
      await readAll(file, isOver)
    }
  })()
  await Promise.all([...playing, asking, working])
  const { late } = (await (await fetch(`${address}/api/load`)).json()) as LoadReport
  const half = memory.length / 2
  return {
    spansPerSecond: spans / BUSY_S,
    acknowledged: { ...summary(acknowledged), p99: percentile(acknowledged, 0.99) },
    health: { ...summary(health), p99: percentile(health, 0.99) },
    late,
    residentMb: {
      firstHalf: Math.max(...memory.slice(0, half)),
      secondHalf: Math.max(...memory.slice(half)),
    },
  }
}

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, Math.max(0, ms)))
