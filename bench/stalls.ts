/** How long others wait while the server has something large in hand. */
import { gzipSync } from 'node:zlib'
import { encodeRecord } from '@lapsus/core/format'
import { percentile } from '@lapsus/core/stats'
import { takeRecord } from './game.ts'
import { readAll } from './read-all.ts'

const ASK_EVERY_MS = 10

const SMALL_INTEGERS = 33_000_000
const BOMB_BYTES = 512 * 2 ** 20

/** An array of small integers where a record is expected. */
function manyIntegers(): Buffer {
  const array = Buffer.alloc(5 + SMALL_INTEGERS)
  array.writeUInt8(0x9a)
  array.writeUInt32BE(SMALL_INTEGERS, 1)
  return Buffer.concat([encodeRecord(takeRecord('many-integers')), array])
}

/** @param timeline a large file of Performance Timeline entries @returns p99 of the answers to /health meanwhile, ms */
export async function measureStalls(
  address: string,
  take: string,
  timeline: Buffer,
): Promise<Record<string, number>> {
  const post =
    (body: Buffer, query = '') =>
    async () => {
      await (await fetch(`${address}/api/imports${query}`, { method: 'POST', body: body as BodyInit })).text()
    }
  const works: Record<string, () => Promise<void>> = {
    [`import of a timeline of ${Math.round(timeline.length / 2 ** 20)} MB`]: post(
      timeline,
      '?frameMarker=frame',
    ),
    'an array of 33 million integers': post(manyIntegers()),
    'a gzip bomb of 512 MB': post(gzipSync(Buffer.alloc(BOMB_BYTES))),
    'export of 18 million spans': async () => {
      await readAll(await fetch(`${address}/api/takes/${take}/file?format=jsonl`))
    },
    'diagnosis of 18 million spans': async () => {
      await (await fetch(`${address}/api/takes/${take}/diagnosis?target=59`)).arrayBuffer()
    },
  }
  const found: Record<string, number> = {}
  for (const [name, work] of Object.entries(works)) {
    await fetch(`${address}/health`).catch(() => {})
    let isOver = false
    const waited: number[] = []
    const asking = (async () => {
      while (!isOver) {
        const startMs = performance.now()
        await (await fetch(`${address}/health`)).text()
        waited.push(performance.now() - startMs)
        await new Promise((resolve) => setTimeout(resolve, ASK_EVERY_MS))
      }
    })()
    await work()
    isOver = true
    await asking
    found[name] = percentile(waited, 0.99)
  }
  return found
}
