/** Lanes whose threads never give themselves away, and takes that end meanwhile. */
import { expect } from 'chai'
import { buildSync } from 'esbuild'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { receiveMessageOnPort, Worker, type MessagePort } from 'node:worker_threads'
import { LaneProbe } from '../src/lane-link.ts'
import { makeProbe, MemorySink, readBack, sleep } from './support.ts'

const takeNow = (channel: object) => receiveMessageOnPort(channel as MessagePort)

describe('a worker whose loop never yields', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-lanes-'))
  after(() => rmSync(folder, { recursive: true }))

  it('has all of its runs in a take that is closed at once, on a thread that never yields either', async () => {
    buildSync({
      stdin: {
        contents: `
          import { workerData } from 'node:worker_threads'
          import { createLane } from './packages/probe/src/node-worker.ts'
          const lane = createLane('Test Game', 'busy')
          const marker = lane.marker('work')
          for (let i = 0; i < workerData.runs; i++) lane.run(marker, () => {
            for (let n = 0; n < 200; n++);
          })
          lane.close()
          Atomics.store(workerData.done, 0, 1)
          Atomics.notify(workerData.done, 0)
        `,
        resolveDir: process.cwd(),
        loader: 'ts',
      },
      ...{
        bundle: true,
        platform: 'node',
        format: 'esm',
        outfile: join(folder, 'worker.mjs'),
        logLevel: 'error',
      },
    })
    const runs = 20_799
    const done = new Int32Array(new SharedArrayBuffer(4))
    const sink = new MemorySink()
    const probe = makeProbe(sink, { takeNow })
    const marker = probe.marker('m')
    probe.frame()
    probe.run(marker, () => {})
    const worker = new Worker(join(folder, 'worker.mjs'), { workerData: { runs, done } })
    // The thread begins once this one has yielded.
    await new Promise((resolve) => worker.once('online', resolve))
    Atomics.wait(done, 0, 0, 20_000)
    probe.frame()
    probe.run(marker, () => {})
    await probe.close()
    await worker.terminate()
    const { chunks, end } = readBack(sink.records)
    const spans = chunks.flatMap(({ lanes }) => lanes).filter(({ lane }) => lane === 1)
    expect(spans.reduce((sum, { marker: all }) => sum + all.length, 0)).to.equal(runs)
    expect(end!.problems).to.deep.equal([])
  })

  it('is told of where runs are missing, and where nobody can tell', async () => {
    for (const [takes, shares] of [
      [takeNow, true],
      [null, false],
    ] as const) {
      const sink = new MemorySink()
      const probe = makeProbe(sink, { takeNow: takes })
      probe.frame()
      probe.run(probe.marker('m'), () => {})
      const own = globalThis.SharedArrayBuffer
      if (!shares)
        Object.defineProperty(globalThis, 'SharedArrayBuffer', { value: undefined, configurable: true })
      const lane = new LaneProbe(
        'Test Game',
        'late',
        [],
        { heap: null, watchCollections: null },
        'timing',
        null,
      )
      Object.defineProperty(globalThis, 'SharedArrayBuffer', { value: own, configurable: true })
      // Handed over at once, then kept until two ms have gone by: those are still with the lane.
      for (let i = 0; i < 5; i++) lane.run(lane.marker('work'), () => {})
      await sleep(30)
      lane.run(lane.marker('work'), () => {})
      lane.run(lane.marker('work'), () => {})
      lane.run(lane.marker('work'), () => {})
      const closing = probe.close()
      await closing
      const { chunks, end } = readBack(sink.records)
      const problems = [...chunks.flatMap((chunk) => chunk.problems), ...end!.problems]
      const about = problems.map(({ what, about }) => `${what}: ${about}`)
      expect(about).to.deep.equal([
        shares
          ? 'runs of other lanes did not come: lane late'
          : 'whether all runs of other lanes came is not known: lane late',
      ])
      lane.close()
    }
  })
})
