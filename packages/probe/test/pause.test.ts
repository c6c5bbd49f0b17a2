/** A loop that rests or ends: its last frame ends where it stands, and nothing is laid to the frame that waits. */
import { expect } from 'chai'
import { byScript } from '../src/code-line.ts'
import { makeProbe, MemorySink, readBack, sleep, until } from './support.ts'

const framesMs = (sink: MemorySink) =>
  readBack(sink.records).chunks.flatMap(({ frameDurationNs }) => [...frameDurationNs].map((ns) => ns / 1e6))

describe('a pause', () => {
  it('ends the open frame where it stands, and begins a stretch with the next', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const [marker, gauge, watch, life] = [
      probe.marker('m'),
      probe.gaugeId('g'),
      probe.watchId('w'),
      probe.classId('c'),
    ]
    const told: number[] = []
    probe.onFrame = (ms) => told.push(ms)
    for (let i = 0; i < 3; i++) {
      probe.frame()
      probe.run(marker, () => {})
    }
    probe.pause()
    // Meanwhile: kept with the next frame, but for runs of this thread.
    probe.moment('rest')
    probe.gauge(gauge, 7)
    probe.watch(watch, 1)
    probe.born(life)
    probe.run(marker, () => {})
    await sleep(1_200)
    for (let i = 0; i < 2; i++) {
      probe.frame()
      probe.run(marker, () => {})
    }
    probe.pause()
    probe.pause()
    await sleep(1_200)
    await probe.close()
    const { chunks, end } = readBack(sink.records)
    expect(chunks.map(({ frameStartNs }) => frameStartNs.length)).to.deep.equal([3, 2])
    expect(Math.max(...framesMs(sink))).to.be.below(1_000)
    expect(told).to.have.length(5)
    expect(chunks.map(({ stretch }) => stretch?.cause ?? null)).to.deep.equal([null, 'pause'])
    const [before, after] = chunks
    expect(before!.moments).to.deep.equal([])
    expect(after!.moments.map(({ name }) => name)).to.deep.equal(['rest'])
    expect([...after!.gauges[0]!.value, ...after!.watches[0]!.looks, ...after!.lives[0]!.born]).to.deep.equal(
      [7, 1, 1],
    )
    // Its hand-over, which is due after a second, is a run of its own.
    expect([...after!.lanes[0]!.marker].filter((of) => of === marker)).to.have.length(2)
    expect(after!.repaired).to.equal(0)
    expect(end).to.not.equal(undefined)
  })

  it('is nothing where no frame is open, or nothing is recorded', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    probe.pause()
    probe.frame()
    probe.run(probe.marker('m'), () => {})
    await probe.close()
    expect(readBack(sink.records).chunks.map(({ stretch }) => stretch)).to.deep.equal([null])
    makeProbe(null).pause()
  })

  it('is what a loop comes to that ends: by false, by what stops it, also from within, and by what it throws', async () => {
    const ways: ((probe: ReturnType<typeof makeProbe>) => Promise<unknown>)[] = [
      async (probe) => {
        let turns = 0
        probe.loop(() => ++turns < 4)
        await until(() => turns === 4, 'four turns')
      },
      async (probe) => {
        let turns = 0
        const stop = probe.loop(() => {
          if (++turns === 4) stop()
        })
        await until(() => turns === 4, 'four turns')
      },
      async (probe) => {
        let turns = 0
        const stop = probe.loop(() => ++turns)
        await until(() => turns >= 4, 'four turns')
        stop()
      },
      async (probe) => {
        let turns = 0
        probe.loop(async () => {
          await sleep(1)
          return ++turns < 4
        })
        await until(() => turns === 4, 'four turns')
      },
    ]
    const play = async (way: (typeof ways)[number], i: number) => {
      const sink = new MemorySink()
      const probe = makeProbe(sink)
      await way(probe)
      // A frame that stayed open would be as long as this.
      await sleep(3_000)
      await probe.close()
      const frames = framesMs(sink)
      expect(frames.length, `way ${i}`).to.be.within(4, 5)
      expect(Math.max(...frames), `way ${i}`).to.be.below(2_500)
    }
    await Promise.all(ways.map(play))
  })
})

describe('what a game gives that fails later', () => {
  it('ends nothing: promises that reject are heard', async () => {
    const unheard: unknown[] = []
    const listen = (error: unknown) => unheard.push(error)
    process.on('unhandledRejection', listen)
    try {
      const sink = new MemorySink()
      const later = () => Promise.reject(new Error('later'))
      const probe = makeProbe(sink, { memory: { heap: later as never, watchCollections: null } })
      probe.onFrame = later as never
      for (let i = 0; i < 3; i++) probe.frame()
      await sleep(5)
      await probe.close()
      await sleep(50)
      expect(unheard).to.deep.equal([])
      const { chunks, end } = readBack(sink.records)
      const problems = [...chunks.flatMap((chunk) => chunk.problems), ...end!.problems]
      expect(problems.find(({ what }) => what === 'calls of onFrame failed')!.count).to.be.greaterThan(0)
    } finally {
      process.off('unhandledRejection', listen)
    }
  })
})

describe('lines of many markers', () => {
  it('are put with their script once each, however many there are', () => {
    const lines = Array.from({ length: 16_000 }, (_, i) => ({ url: `s${i % 2}`, line: i, column: 1 }))
    // A list that is copied for each would be copied 64 million times over.
    let reads = 0
    const counted = lines.map((line) => ({
      ...line,
      get url() {
        reads++
        return line.url
      },
    }))
    const scripts = byScript(counted)
    expect([...scripts.keys()]).to.deep.equal(['s0', 's1'])
    expect(scripts.get('s1')!.slice(0, 3)).to.deep.equal([1, 3, 5])
    expect(scripts.get('s0')).to.have.length(8_000)
    expect(reads).to.equal(16_000)
  })
})
