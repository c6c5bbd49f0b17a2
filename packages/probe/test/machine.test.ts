/** What the system and its host take from a game, as the probe records it. */
import { expect } from 'chai'
import { sampleCorrelation } from 'simple-statistics'
import { spawn } from 'node:child_process'
import { existsSync } from 'node:fs'
import { availableParallelism } from 'node:os'
import { TAKEN_UNKNOWN } from '@lapsus/core/format'
import { machineOf, nodeMachine, numberIn } from '../src/node-machine.ts'
import { makeProbe, MemorySink, readBack } from './support.ts'

const takenIn = (sink: MemorySink) => readBack(sink.records).chunks.flatMap(({ takenNs }) => [...takenNs])

describe('time taken from the game', () => {
  it('is what has come to it within each frame; unknown where the system does not tell, never 0', async () => {
    const ready = [500, 700, 700, 1_700, NaN, 2_000, 2_300]
    let at = -1
    const sink = new MemorySink()
    const probe = makeProbe(sink, {
      machine: machineOf(() => ready[Math.max(0, at)]!, null),
    })
    ready.forEach(() => {
      probe.frame()
      at++
    })
    await probe.close()
    expect(takenIn(sink).slice(0, 6)).to.deep.equal([0, 200, 0, 1_000, TAKEN_UNKNOWN, TAKEN_UNKNOWN])

    const silent = new MemorySink()
    const other = makeProbe(silent)
    for (let i = 0; i < 4; i++) other.frame()
    await other.close()
    expect(new Set(takenIn(silent))).to.deep.equal(new Set([TAKEN_UNKNOWN]))
  })

  it('counts what reading it costs as the recorder’s', async () => {
    const sink = new MemorySink()
    const slow = () => {
      const end = performance.now() + 0.02
      while (performance.now() < end);
      return 1
    }
    const probe = makeProbe(sink, { machine: machineOf(slow, null) })
    probe.frame()
    probe.frame()
    await probe.close()
    expect(readBack(sink.records).take.conditions.recorder!.frameNs).to.be.within(20_000, 60_000)
    const none = new MemorySink()
    const other = makeProbe(none)
    other.frame()
    other.frame()
    await other.close()
    expect(readBack(none.records).take.conditions.recorder!.frameNs).to.equal(undefined)
  })

  it('is seen for real when others want the processor', async function () {
    if (!existsSync('/proc/thread-self/schedstat')) this.skip()
    const endless = Array.from({ length: 2 * availableParallelism() }, () =>
      spawn(process.execPath, ['-e', 'for (;;);'], { stdio: 'ignore' }),
    )
    try {
      const sink = new MemorySink()
      const probe = makeProbe(sink, { machine: nodeMachine() })
      const endMs = performance.now() + 1_000
      while (performance.now() < endMs) {
        probe.frame()
        const frameEndMs = performance.now() + 5
        while (performance.now() < frameEndMs);
      }
      await probe.close()
      const { chunks } = readBack(sink.records)
      const taken = chunks.flatMap(({ takenNs }) => [...takenNs])
      const duration = chunks.flatMap(({ frameDurationNs }) => [...frameDurationNs])
      // Frames can be no longer than their own 5 ms and what was taken from them, but for trifles.
      const sum = (values: number[]) => values.reduce((all, one) => all + one, 0)
      expect(sum(taken)).to.be.greaterThan(0.1 * sum(duration))
      expect(taken.every((ns) => ns >= 0)).to.equal(true)
      // The longer a frame, the more was taken from it: by others here, not only by who shares the machine.
      expect(sampleCorrelation(taken, duration)).to.be.greaterThan(0.3)
    } finally {
      for (const child of endless) child.kill('SIGKILL')
    }
  })
})

describe('time stolen by the host', () => {
  it('is a gauge, once a second at most', async () => {
    let total = 40
    const readMs: number[] = []
    const ticks = () => {
      readMs.push(performance.now())
      return (total += 3)
    }
    const sink = new MemorySink()
    const probe = makeProbe(sink, { machine: machineOf(null, ticks) })
    while (readMs.length < 3) {
      probe.frame()
      await new Promise((resolve) => setTimeout(resolve, 5))
    }
    await probe.close()
    const { chunks, declares } = readBack(sink.records)
    expect(declares.flatMap(({ gauges }) => gauges)).to.deep.equal([
      { id: 0, name: 'stolen by the host', unit: 'ms', variants: [] },
    ])
    const apart = readMs.slice(1).map((ms, i) => ms - readMs[i]!)
    expect(Math.min(...apart)).to.be.at.least(990)
    // The first reading has nothing before it.
    expect(chunks.flatMap(({ gauges }) => gauges.flatMap(({ value }) => [...value]))).to.deep.equal([30, 30])
  })
})

describe('numbers of the system’s files', () => {
  const number = (text: string, word: number) => numberIn(new TextEncoder().encode(text), text.length, word)

  it('are read by their place in the first line', () => {
    expect(number('138021 1174980 2\n', 1)).to.equal(1_174_980)
    expect(number('cpu  1074305 8872 99739 2386908 13345 0 9821 117783 0 0\ncpu0 1', 8)).to.equal(117_783)
    expect(number('12', 0)).to.equal(12)
  })

  it('are none where there is none', () => {
    expect(number('cpu 1 2 3\ncpu0 4 5 6 7 8 9', 8)).to.be.NaN
    expect(number('', 1)).to.be.NaN
    expect(number('a b c', 1)).to.be.NaN
  })
})
