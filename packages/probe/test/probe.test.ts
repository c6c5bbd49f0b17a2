import { expect } from 'chai'
import fc from 'fast-check'
import { LIMITS } from '@lapsus/core/format'
import { SPAN_CAPACITY } from '../src/span-recorder.ts'
import { makeProbe, MemorySink, readBack } from './support.ts'

const spin = (ms: number) => {
  const end = performance.now() + ms
  while (performance.now() < end);
}

describe('probe', () => {
  it('records nested spans, gauges, moments and steps, frame by frame', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const outer = probe.marker('outer', { group: 'simulation' })
    const inner = probe.marker('inner', { kind: 'wait:io' })
    const letters = probe.gaugeId('letters')
    probe.frame()
    probe.enter(outer)
    expect(probe.run(inner, () => (spin(2), 'result'))).to.equal('result')
    probe.leave()
    probe.gauge(letters, 3)
    probe.gauge(letters, 4)
    probe.gauge(letters, NaN)
    probe.steps(2)
    probe.moment('bell', { shift: 3, first: true, broken: NaN, nested: {} })
    probe.frame()
    probe.run(outer, () => {})
    await probe.close()

    const { take, declares, chunks, end, reader } = readBack(sink.records)
    expect(reader.ended).to.equal(true)
    expect(take).to.include({ game: 'Test Game', target: 60 })
    expect(take.conditions.mode).to.equal('timing')
    expect(take.conditions.recorder!.spanNs).to.be.greaterThan(take.conditions.recorder!.clockReadNs)
    expect(take.conditions.recorder!.clockResolutionNs).to.be.within(1, 20_000_000)
    expect(declares[0]!.markers.find((marker) => marker.id === inner)).to.deep.equal({
      ...{ id: inner, name: 'inner', group: '', kind: 'wait:io' },
      ...{ tags: [], watches: [], at: null },
    })
    expect(chunks).to.have.length(1)
    const [chunk] = chunks
    const lane = chunk!.lanes[0]!
    expect([...lane.count]).to.deep.equal([2, 1])
    expect([...lane.marker]).to.deep.equal([outer, inner, outer])
    expect([...lane.depth]).to.deep.equal([0, 1, 0])
    expect(lane.durationNs[1]).to.be.within(2e6, lane.durationNs[0]!)
    expect(lane.startNs[1]).to.be.at.least(lane.startNs[0]!)
    expect(chunk!.frameStartNs[1]).to.be.closeTo(chunk!.frameStartNs[0]! + chunk!.frameDurationNs[0]!, 2)
    expect([...chunk!.steps]).to.deep.equal([2, 0])
    expect(chunk!.gauges).to.deep.equal([
      { gauge: letters, frame: Uint32Array.of(0), value: Float64Array.of(4) },
    ])
    expect(chunk!.moments[0]).to.deep.include({ name: 'bell', data: { shift: 3, first: true } })
    expect(chunk).to.include({ dropped: 0, repaired: 0 })
    expect(end).to.include({ dropped: 0 })
  })

  it('repairs unbalanced calls at the end of the frame, counts them, and never throws', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const marker = probe.marker('m')
    probe.leave()
    probe.frame()
    probe.leave()
    probe.enter(marker)
    probe.enter(marker)
    probe.frame()
    probe.run(marker, () => {})
    expect(() =>
      probe.run(marker, () => {
        throw new Error('the game failed')
      }),
    ).to.throw('the game failed')
    await probe.close()
    const { chunks } = readBack(sink.records)
    expect(chunks[0]!.repaired).to.equal(3)
    expect([...chunks[0]!.lanes[0]!.count]).to.deep.equal([2, 2])
    expect([...chunks[0]!.lanes[0]!.depth]).to.deep.equal([0, 1, 0, 0])
  })

  it('keeps any balanced or unbalanced sequence of calls readable', () => {
    fc.assert(
      fc.property(fc.array(fc.constantFrom('enter', 'leave', 'frame'), { maxLength: 200 }), (calls) => {
        const sink = new MemorySink()
        const probe = makeProbe(sink)
        const marker = probe.marker('m')
        probe.frame()
        for (const call of calls) {
          if (call === 'enter') probe.enter(marker)
          else if (call === 'leave') probe.leave()
          else probe.frame()
        }
        probe.finish()
        const { chunks, reader } = readBack(sink.records)
        expect(reader.ended).to.equal(true)
        const spans = chunks.reduce((sum, chunk) => sum + chunk.lanes[0]!.marker.length, 0)
        expect(spans).to.equal(calls.filter((call) => call === 'enter').length)
      }),
      { numRuns: 30 },
    )
  })

  it('leaves out whole frames while the sink has no room, and says how many', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const marker = probe.marker('m')
    sink.room = false
    const perFrame = 1000
    for (let frame = 0; frame < 50; frame++) {
      probe.frame()
      for (let i = 0; i < perFrame; i++) probe.run(marker, () => {})
    }
    sink.room = true
    for (let frame = 0; frame < 10; frame++) {
      probe.frame()
      for (let i = 0; i < perFrame; i++) probe.run(marker, () => {})
    }
    await probe.close()
    const { chunks, end } = readBack(sink.records)
    const frames = chunks.flatMap((chunk) => [...chunk.lanes[0]!.count])
    const dropped =
      chunks.reduce((sum, chunk) => sum + chunk.dropped, 0) + (end as { dropped: number }).dropped
    expect(frames.length + dropped).to.equal(60)
    expect(dropped).to.be.within(1, 30)
    // The recorder's own span may join a frame's thousand.
    for (const count of frames) expect(count).to.be.oneOf([perFrame, perFrame + 1])
  })

  it('leaves out a frame with more spans than there is room for', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const marker = probe.marker('m')
    for (const spans of [1, SPAN_CAPACITY + 10, 2]) {
      probe.frame()
      for (let i = 0; i < spans; i++) probe.run(marker, () => {})
    }
    await probe.close()
    const { chunks } = readBack(sink.records)
    expect(chunks.reduce((sum, chunk) => sum + chunk.dropped, 0)).to.equal(1)
    expect(
      chunks.flatMap((chunk) => [...chunk.lanes[0]!.marker].filter((id) => id === marker)).length,
    ).to.equal(3)
  })

  it('leaves out spans nested too deep, and stays balanced', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const marker = probe.marker('m')
    probe.frame()
    for (let i = 0; i < 10_000; i++) probe.enter(marker)
    for (let i = 0; i < 10_000; i++) probe.leave()
    probe.run(marker, () => {})
    await probe.close()
    const { chunks } = readBack(sink.records)
    const depth = [...chunks[0]!.lanes[0]!.depth]
    expect(depth.length).to.equal(LIMITS.spanDepth + 2)
    expect(depth.at(-1)).to.equal(0)
    expect(chunks[0]!.repaired).to.equal(10_000 - LIMITS.spanDepth - 1)
  })

  it('gives one handle a name, and folds names made per entity', () => {
    const probe = makeProbe(null)
    expect(probe.marker('same')).to.equal(probe.marker('same'))
    expect(probe.gaugeId('g')).to.equal(probe.gaugeId('g'))
    let last = 0
    for (let i = 0; i < LIMITS.markers + 100; i++) last = probe.marker(`letter ${i}`)
    expect(last).to.equal(LIMITS.markers - 1)
  })

  it('does nothing at all when switched off', async () => {
    const probe = makeProbe(null)
    const marker = probe.marker('m')
    probe.frame()
    probe.enter(marker)
    probe.leave()
    probe.moment('bell')
    expect(probe.recording).to.equal(false)
    await probe.close()
  })

  it('makes no take of a game that never had a frame', async () => {
    const sink = new MemorySink()
    await makeProbe(sink).close()
    expect(sink.records).to.have.length(0)
  })

  it('does not grow the heap as spans are recorded', function () {
    const gc = (globalThis as { gc?: () => void }).gc
    if (gc === undefined) throw new Error('run mocha with --expose-gc')
    const sink = new MemorySink()
    sink.put = () => {}
    const probe = makeProbe(sink)
    const marker = probe.marker('m')
    const frames = (count: number) => {
      for (let frame = 0; frame < count; frame++) {
        probe.frame()
        for (let i = 0; i < 1000; i++) {
          probe.enter(marker)
          probe.leave()
        }
      }
    }
    frames(200)
    gc()
    const before = process.memoryUsage().heapUsed
    frames(1000)
    gc()
    expect(process.memoryUsage().heapUsed - before).to.be.below(1_000_000)
  })
})
