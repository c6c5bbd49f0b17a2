/** What the probe records besides times: effects, keys, bytes, watches, lives, updaters, jobs, collections. */
import { expect } from 'chai'
import { readFileSync } from 'node:fs'
import {
  BYTES_UNKNOWN,
  TAKEN_UNKNOWN,
  takenGauge,
  type ChunkRecord,
  type Conditions,
} from '@lapsus/core/format'
import { withCollections } from '../src/collections.ts'
import { LaneProbe } from '../src/lane-link.ts'
import { nodeMemory } from '../src/node-memory.ts'
import { recordingOptions } from '../src/options.ts'
import { PendingLane } from '../src/pending-lane.ts'
import { Updater, UpdaterGroup } from '../src/updater.ts'
import { makeProbe, MemorySink, readBack, sleep, until } from './support.ts'

const spin = (ms: number) => {
  const end = performance.now() + ms
  while (performance.now() < end);
}
const blind = { heap: null, watchCollections: null }

describe('what runs say', () => {
  it('is kept: effects and keys', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const update = probe.marker('update')
    const test = probe.marker('test', { tags: ['search'] })
    probe.frame()
    probe.enter(update)
    probe.enter(test, 7)
    probe.leave(true)
    probe.leave(false)
    probe.enter(update)
    probe.leave()
    await probe.close()
    const { chunks, declares } = readBack(sink.records)
    const [lane] = chunks[0]!.lanes
    expect([...lane!.effect!]).to.deep.equal([1, 2, 0])
    expect([...lane!.key!]).to.deep.equal([0, 7, 0])
    expect(lane!.bytes).to.equal(undefined)
    expect(declares[0]!.markers.find(({ id }) => id === test)!.tags).to.deep.equal(['search'])
  })

  it('costs nothing in the take where nothing is said', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const update = probe.marker('update')
    probe.frame()
    probe.run(update, () => {})
    await probe.close()
    const [lane] = readBack(sink.records).chunks[0]!.lanes
    expect(lane).not.to.have.any.keys('effect', 'key', 'bytes')
  })
})

describe('methods that are marked as they are', () => {
  class Moth {
    static readonly made: Moth[] = []
    x = 0
    #fuel = 3
    constructor(readonly name = 'a moth') {
      Moth.made.push(this)
    }
    static create(name: string): Moth {
      return new this(name)
    }
    update(by = 2, ...more: number[]): number {
      this.x += by + more.length
      return this.steer()
    }
    steer(): number {
      return this.#fuel
    }
    fail(): never {
      throw new RangeError(this.name)
    }
    async rest(): Promise<string> {
      spin(2)
      await sleep(300)
      return this.name
    }
    *legs(): Generator<number> {
      yield 6
    }
    get wings(): number {
      return 4
    }
  }
  class Hawk extends Moth {
    override update(by = 2): number {
      return super.update(by) + 1
    }
  }

  it('are runs, and do what they did', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const undo = probe.mark(Moth.prototype, ['update', 'steer', 'fail', 'rest'], { group: 'simulation' })
    probe.mark(Hawk.prototype, ['update'])
    probe.mark(Moth, ['create'])
    const moth = new Moth()
    probe.frame()
    expect(moth.update(5, 1, 1)).to.equal(3)
    expect(moth.update(undefined)).to.equal(3)
    expect(moth.x).to.equal(9)
    expect(() => moth.fail()).to.throw(RangeError, 'a moth')
    expect(new Hawk().update()).to.equal(4)
    expect(Hawk.create('hawk')).to.be.instanceOf(Hawk)
    expect(await moth.rest()).to.equal('a moth')
    probe.frame()
    expect([Moth.prototype.update.name, Moth.prototype.update.length]).to.deep.equal(['update', 0])
    expect(Object.keys(moth)).to.have.members(['x', 'name'])
    undo()
    moth.update()
    await probe.close()
    const { chunks, declares } = readBack(sink.records)
    const names = new Map(declares.flatMap(({ markers }) => markers).map(({ id, name }) => [id, name]))
    const [lane] = chunks[0]!.lanes
    const runs = [...lane!.marker].map((id, i) => `${'> '.repeat(lane!.depth[i]!)}${names.get(id)}`)
    expect(runs).to.deep.equal([
      ...['Moth.update', '> Moth.steer', 'Moth.update', '> Moth.steer', 'Moth.fail'],
      ...['Hawk.update', '> Moth.update', '> > Moth.steer', 'Moth.create', 'Moth.rest'],
    ])
    // A run of an async function ends where it gives its thread away.
    expect(lane!.durationNs.at(-1)).to.be.within(2e6, 250e6)
    expect(declares[0]!.markers.find(({ name }) => name === 'Moth.update')!.group).to.equal('simulation')
  })

  it('are marked once, taken out again, and left alone by whoever put others there since', () => {
    const probe = makeProbe(new MemorySink())
    const own = { update: () => 1 }
    const before = own.update
    const undo = probe.mark(own, ['update'])
    expect(own.update).to.not.equal(before)
    const around = own.update
    probe.mark(own, ['update'])
    expect(own.update).to.equal(around)
    undo()
    expect(own.update).to.equal(before)
    const later = probe.mark(own, ['update'])
    const other = () => 2
    own.update = other
    later()
    expect(own.update).to.equal(other)
    // Of one that is inherited, the object itself gets a marked one, and loses it again.
    const moth = new Moth()
    const inherited = probe.mark(moth, ['steer'])
    expect(Object.hasOwn(moth, 'steer')).to.equal(true)
    expect(moth.update()).to.equal(3)
    inherited()
    expect(Object.hasOwn(moth, 'steer')).to.equal(false)
  })

  it('may be made with new, and keep what hangs on them', () => {
    const probe = makeProbe(new MemorySink())
    function Letter(this: { to: string }, to: string) {
      this.to = to
    }
    Letter.count = 5
    const post = { Letter: Letter as unknown as (new (to: string) => { to: string }) & { count: number } }
    probe.mark(post, ['Letter'])
    const letter = new post.Letter('Ada')
    expect(letter.to).to.equal('Ada')
    expect(letter).to.be.instanceOf(post.Letter)
    expect(letter).to.be.instanceOf(Letter)
    expect(post.Letter.count).to.equal(5)
  })

  it('are named and left as they are where they cannot be marked', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    probe.mark(Moth.prototype, ['wings', 'legs', 'nothing'])
    probe.mark(Object.freeze({ fixed: () => 1 }), ['fixed'])
    probe.mark(null as never, ['x'])
    probe.frame()
    const moth = new Moth()
    expect([moth.wings, [...moth.legs()]]).to.deep.equal([4, [6]])
    await probe.close()
    const { chunks, end } = readBack(sink.records)
    const problems = [...chunks, end!].flatMap((record) => ('problems' in record ? record.problems : []))
    expect(problems).to.deep.include.members([
      { what: 'names of methods to mark are none', about: 'Moth.wings', count: 1 },
      { what: 'names of methods to mark are none', about: 'Moth.legs', count: 1 },
      { what: 'names of methods to mark are none', about: 'Moth.nothing', count: 1 },
      { what: 'names of methods to mark are none', about: 'Object.fixed', count: 1 },
      { what: 'calls of mark had nothing to mark', about: '', count: 1 },
    ])
  })
})

describe('samples of frames', () => {
  it('count looks and changes, lives, and updaters when something about them changes', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const tally = probe.watchId('tally')
    const letter = probe.classId('letter')
    const moth = probe.classId('moth')
    const update = probe.marker('moth.update', { watches: [tally] })
    probe.born(letter, 100)
    const first = probe.updater(moth, { marker: update })
    const second = probe.updater(moth, { every: 200 })
    probe.frame()
    for (const value of [1, 1, 2, NaN, NaN]) probe.watch(tally, value)
    probe.born(letter, 20)
    probe.died(letter)
    probe.frame()
    first.idle('asleep', true)
    second.enable(false)
    probe.frame()
    probe.frame()
    second.dispose()
    second.dispose()
    first.every(50)
    probe.watch(tally, 3)
    probe.frame()
    probe.run(update, () => {})
    await probe.close()
    const { chunks, declares } = readBack(sink.records)
    const [{ watches, lives, updaters }] = chunks as [ChunkRecord]
    expect(watches).to.deep.equal([
      {
        watch: tally,
        frame: Uint32Array.of(0, 3),
        looks: Uint32Array.of(5, 1),
        changes: Uint32Array.of(2, 1),
      },
    ])
    expect(lives).to.deep.equal([
      {
        class: letter,
        frame: Uint32Array.of(0),
        born: Uint32Array.of(2),
        died: Uint32Array.of(1),
        bytes: Float64Array.of(120),
      },
    ])
    expect(updaters).to.deep.equal([
      {
        class: moth,
        frame: Uint32Array.of(0, 1, 3),
        instances: Uint32Array.of(2, 2, 1),
        enabled: Uint32Array.of(2, 1, 1),
        unseen: new Uint32Array(3),
        far: new Uint32Array(3),
        asleep: Uint32Array.of(0, 1, 1),
        everyMs: Float64Array.of(100, 0, 50),
      },
    ])
    expect(declares[0]!.classes.find(({ id }) => id === moth)).to.deep.include({
      name: 'moth',
      marker: update,
    })
    expect(declares[0]!.markers.find(({ id }) => id === update)!.watches).to.deep.equal([tally])
  })

  it('say the state of updaters again at the beginning of each chunk', () => {
    const group = new UpdaterGroup()
    new Updater(group, 0)
    group.note(0)
    expect(group.take(3)[0]).to.deep.include({ class: 3, instances: Uint32Array.of(1) })
    group.note(0)
    expect(group.take(3)[0]!.frame).to.deep.equal(Uint32Array.of(0))
  })

  it('ignore handles that name nothing', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    probe.frame()
    probe.gauge(99, 1)
    probe.watch(99, 1)
    probe.born(99)
    probe.died(99)
    expect(() => probe.updater(99).dispose()).not.to.throw()
    for (let i = 0; i < 1_100; i++) probe.updater(probe.classId(`class ${i}`)).dispose()
    await probe.close()
    expect(readBack(sink.records).reader.ended).to.equal(true)
  })
})

describe('a frame that is left out', () => {
  it('takes its gauges with it, and leaves its counts to the next', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const marker = probe.marker('m')
    const gauge = probe.gaugeId('g')
    const letter = probe.classId('letter')
    for (const spans of [1, 70_000, 2]) {
      probe.frame()
      if (spans > 1000) {
        probe.gauge(gauge, spans)
        probe.born(letter)
      }
      for (let i = 0; i < spans; i++) probe.run(marker, () => {})
    }
    await probe.close()
    const { chunks } = readBack(sink.records)
    expect(chunks.reduce((sum, chunk) => sum + chunk.dropped, 0)).to.equal(1)
    expect(chunks.flatMap((chunk) => chunk.gauges)).to.deep.equal([])
    expect(chunks.flatMap((chunk) => chunk.lives.flatMap(({ born }) => [...born]))).to.deep.equal([1])
  })
})

describe('mode bytes', () => {
  const keep: unknown[] = []

  it('gives what a run allocates, with the recorder’s own reads taken out', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink, { mode: 'bytes', memory: { ...nodeMemory, watchCollections: null } })
    const none = probe.marker('none')
    const some = probe.marker('some')
    const outer = probe.marker('outer')
    for (let frame = 0; frame < 30; frame++) {
      probe.frame()
      probe.enter(outer)
      for (let i = 0; i < 50; i++) {
        probe.enter(none)
        probe.leave()
      }
      probe.enter(some)
      keep.push(new Array(1000).fill(frame))
      probe.leave()
      probe.leave()
    }
    keep.length = 0
    await probe.close()
    const { chunks, take } = readBack(sink.records)
    expect(take.conditions.mode).to.equal('bytes')
    expect(take.conditions.recorder!.heapReadNs).to.be.greaterThan(0)
    const bytesOf = (marker: number) =>
      chunks
        .flatMap(({ lanes: [lane] }) =>
          [...lane!.marker.keys()].filter((i) => lane!.marker[i] === marker).map((i) => lane!.bytes![i]!),
        )
        .filter((bytes) => bytes !== BYTES_UNKNOWN)
        .sort((a, b) => a - b)
    const median = (values: number[]) => values[values.length >> 1]!
    expect(median(bytesOf(none))).to.be.below(100)
    expect(median(bytesOf(some))).to.be.within(8_000, 8_600)
    // 51 runs inside read the heap 102 times; that must not count as the outer run's.
    expect(median(bytesOf(outer))).to.be.within(8_000, 15_000)
  })

  it('reads an engine’s own heap, and a fall within a run makes its bytes unknown, never 0', async () => {
    const readings = [100, 160, 160, 20, 20, 20]
    let at = 0
    const sink = new MemorySink()
    const heap = () => (at < readings.length ? readings[at++]! : 20)
    const probe = makeProbe(sink, { mode: 'bytes', memory: { heap, watchCollections: null } })
    const marker = probe.marker('m')
    probe.frame()
    at = 0
    for (let i = 0; i < 3; i++) probe.run(marker, () => {})
    await probe.close()
    const [lane] = readBack(sink.records).chunks[0]!.lanes
    const own = [...lane!.marker.keys()].filter((i) => lane!.marker[i] === marker)
    expect(own.map((i) => lane!.bytes![i])).to.deep.equal([60, BYTES_UNKNOWN, 0])
  })

  it('falls back to timing, with a word, where there is no heap to read', () => {
    const problems: string[] = []
    expect(recordingOptions({ mode: 'bytes' }, false, (text) => problems.push(text)).mode).to.equal('timing')
    expect(recordingOptions({ mode: 'odd' as never }, true, (text) => problems.push(text)).mode).to.equal(
      'timing',
    )
    expect(problems).to.have.length(2)
  })
})

describe('collections', () => {
  it('of Node are put, by kind and with their real pause, into the run they paused', async () => {
    const gc = (globalThis as { gc?: () => void }).gc!
    const sink = new MemorySink()
    const probe = makeProbe(sink, { memory: nodeMemory })
    const outer = probe.marker('outer')
    const inner = probe.marker('inner')
    probe.frame()
    probe.enter(outer)
    spin(2)
    probe.enter(inner)
    spin(1)
    gc()
    spin(1)
    probe.leave()
    probe.leave()
    probe.frame()
    await sleep(30)
    probe.frame()
    await probe.close()
    const { chunks, declares } = readBack(sink.records)
    const names = new Map(
      declares.flatMap(({ markers }) => markers.map(({ id, name, kind }) => [id, { name, kind }])),
    )
    const [chunk] = chunks
    const [lane] = chunk!.lanes
    const at = [...lane!.marker.keys()].filter(
      (i) => names.get(lane!.marker[i]!)!.name === 'collection (major)',
    )
    expect(at.length).to.be.greaterThan(0)
    const i = at.find((index) => lane!.depth[index] === 2)!
    expect(names.get(lane!.marker[i]!)!.kind).to.equal('collect')
    expect(lane!.marker[i - 1]).to.equal(inner)
    expect(lane!.durationNs[i]).to.be.greaterThan(10_000)
    expect(lane!.startNs[i]).to.be.within(
      lane!.startNs[i - 1]!,
      lane!.startNs[i - 1]! + lane!.durationNs[i - 1]!,
    )
  })

  it('are put where they belong by hand, too', () => {
    const lane = {
      lane: 0,
      count: Uint32Array.of(2, 1),
      marker: Uint32Array.of(1, 2, 3),
      startNs: Float64Array.of(0, 100, 1000),
      durationNs: Float64Array.of(500, 200, 50),
      depth: Uint8Array.of(0, 1, 0),
      bytes: Float64Array.of(1, 2, 3),
    }
    const frameStartNs = Float64Array.of(0, 1000)
    const collection = (startNs: number, durationNs: number) => ({ marker: 9, startNs, durationNs })
    const merged = withCollections(lane, frameStartNs, [
      collection(150, 20),
      collection(450, 200),
      collection(1200, 10),
    ])
    expect([...merged.marker]).to.deep.equal([1, 2, 9, 9, 3, 9])
    expect([...merged.depth]).to.deep.equal([0, 1, 2, 0, 0, 0])
    expect([...merged.count]).to.deep.equal([4, 2])
    expect([...merged.durationNs]).to.deep.equal([500, 200, 20, 200, 50, 10])
    expect([...merged.bytes!]).to.deep.equal([1, 2, -1, -1, 3, -1])
    expect(withCollections(lane, frameStartNs, [])).to.equal(lane)
    const deepest = { ...lane, depth: Uint8Array.of(254, 255, 0) }
    expect([...withCollections(deepest, frameStartNs, [collection(150, 20)]).depth]).to.deep.equal([
      254, 255, 255, 0,
    ])
  })

  it('where nobody tells of them are suspected when the heap falls, and labelled so', async () => {
    let heap = 1000
    const sink = new MemorySink()
    const probe = makeProbe(sink, { memory: { heap: () => heap, watchCollections: null } })
    for (const next of [1000, 1100, 400, 500]) {
      probe.frame()
      heap = next
    }
    probe.frame()
    await probe.close()
    const { chunks, declares } = readBack(sink.records)
    const marker = declares
      .flatMap(({ markers }) => markers)
      .find(({ name }) => name === 'collection (suspected)')!
    expect(marker).to.deep.include({ kind: 'collect', tags: ['suspected'] })
    const [lane] = chunks[0]!.lanes
    expect([...lane!.marker]).to.deep.equal([marker.id])
    expect([...lane!.count]).to.deep.equal([0, 0, 1, 0])
    const { gauges } = chunks[0]!
    expect([...gauges[0]!.value]).to.deep.equal([1000, 1100, 400, 500])
  })
})

describe('lanes and jobs', () => {
  it('say who started a job, where it ran and who waited for it', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const work = probe.marker('job.work')
    const join = probe.marker('join', { kind: 'wait:job' })
    probe.frame()
    const job = probe.dispatch(work)
    const lane = new LaneProbe('Test Game', 'worker', [], blind, 'timing', null)
    const laneWork = lane.marker('job.work')
    lane.beginJob(job, laneWork)
    spin(1)
    lane.endJob(job, laneWork)
    probe.enter(join, job)
    probe.leave()
    probe.frame()
    lane.close()
    await sleep(50)
    await probe.close()
    const { chunks, declares } = readBack(sink.records)
    expect(declares.flatMap(({ lanes }) => lanes.map(({ name }) => name))).to.deep.equal(['main', 'worker'])
    const { jobs, lanes } = chunks[0]!
    const order = [...jobs.event.keys()].sort((a, b) => jobs.event[a]! - jobs.event[b]!)
    expect(order.map((i) => [jobs.job[i], jobs.event[i], jobs.lane[i], jobs.marker[i]])).to.deep.equal([
      [job, 0, 0, work],
      [job, 1, 1, work],
      [job, 2, 1, work],
    ])
    expect(jobs.atNs[order[0]!]).to.be.at.most(jobs.atNs[order[1]!]!)
    expect(jobs.atNs[order[2]!]! - jobs.atNs[order[1]!]!).to.be.within(1e6, 5e9)
    expect([...lanes[0]!.key!]).to.deep.equal([job])
    expect(lanes[1]!.durationNs[0]).to.be.within(1e6, 5e9)
  })

  it('say what the system took from their threads, in the frame in which it was read', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const marker = probe.marker('m')
    const read = [5e6, 2e6, 3e6]
    const machine = { takenNs: () => read.shift() ?? TAKEN_UNKNOWN, stolenMs: () => NaN }
    probe.frame()
    // The first reading is of the time before there was a lane.
    const lane = new LaneProbe('Test Game', 'worker', [], blind, 'timing', machine)
    const blindLane = new LaneProbe('Test Game', 'silent', [], blind, 'timing', null)
    const work = (of: LaneProbe) => of.run(of.marker('m'), () => spin(3))
    work(blindLane)
    work(lane)
    await sleep(30)
    for (let frame = 0; frame < 2; frame++) {
      probe.frame()
      probe.run(marker, () => spin(1))
    }
    work(lane)
    await sleep(30)
    work(lane)
    lane.close()
    blindLane.close()
    await sleep(30)
    await probe.close()
    const { chunks, declares } = readBack(sink.records)
    const gauges = declares.flatMap((record) => record.gauges)
    expect(gauges.filter(({ name }) => name.startsWith('taken: '))).to.deep.equal([
      { id: gauges.at(-1)!.id, name: takenGauge('worker'), unit: 'ms', variants: [] },
    ])
    // Three frames; what cannot be told, at the last reading, counts for nothing.
    const { frame, value } = chunks[0]!.gauges.find(({ gauge }) => gauge === gauges.at(-1)!.id)!
    expect([[...frame], [...value]]).to.deep.equal([
      [0, 1, 2],
      [2, 0, 3],
    ])
  })

  it('leave what was taken from them after the chunk for the next one', () => {
    const pending = new PendingLane(1, 'w')
    expect(pending.takeTaken(Float64Array.of(0, 10), 20)).to.equal(null)
    for (const [atNs, ns] of [
      [12, 1e6],
      [19, 2e6],
      [20, 4e6],
      [41, 8e6],
    ] as const)
      pending.addTaken(atNs, ns)
    const told = (starts: number[], untilNs: number) => {
      const { frame, value } = pending.takeTaken(Float64Array.from(starts), untilNs)!
      return [...frame].map((at, i) => [at, value[i]])
    }
    expect(told([0, 10], 20)).to.deep.equal([
      [0, 0],
      [1, 3],
    ])
    // One that came too late for its frame goes into the first.
    expect(told([25, 30, 40], 60)).to.deep.equal([
      [0, 4],
      [1, 0],
      [2, 8],
    ])
    expect(told([60, 70], 80)).to.deep.equal([[0, 0]])
  })

  it('of the same name are kept apart', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const marker = probe.marker('m')
    probe.frame()
    const lanes = [1, 2].map(() => new LaneProbe('Test Game', 'worker', [], blind, 'timing', null))
    for (const lane of lanes) {
      lane.run(lane.marker('m'), () => spin(1))
      lane.close()
    }
    await sleep(50)
    probe.frame()
    probe.run(marker, () => {})
    await probe.close()
    const { declares, chunks } = readBack(sink.records)
    expect(declares.flatMap((record) => record.lanes.map(({ name }) => name))).to.deep.equal([
      'main',
      'worker',
      'worker (2)',
    ])
    expect(
      chunks.flatMap((chunk) => chunk.lanes.slice(1).map((lane) => lane.marker.length)),
    ).to.include.members([1])
  })

  it('leave spans that began after the chunk for the next one', () => {
    const pending = new PendingLane(1, 'w')
    const block = (starts: number[], depth: number[]) => ({
      marker: new Uint32Array(starts.length),
      startNs: Float64Array.from(starts),
      durationNs: new Float64Array(starts.length),
      depth: Uint8Array.from(depth),
    })
    pending.add(block([5, 6, 12, 25, 26], [0, 1, 0, 0, 1]))
    pending.add(block([31], [0]))
    const first = pending.take(Float64Array.of(0, 10), 20)
    expect([...first.count]).to.deep.equal([2, 1])
    const second = pending.take(Float64Array.of(20, 30), 40)
    expect([...second.startNs]).to.deep.equal([25, 26, 31])
    expect([...second.count]).to.deep.equal([2, 1])
  })
})

describe('mode keep-last', () => {
  /** Plays frames of the given ms on a probe that keeps a tenth of a second. */
  async function play(tripwires: object, frames: (probe: ReturnType<typeof makeProbe>) => Promise<void>) {
    const sink = new MemorySink()
    const probe = makeProbe(sink, { mode: 'keep-last', keepSeconds: 1, tripwires })
    await frames(probe)
    await probe.close()
    return readBack(sink.records)
  }
  const turn = async (probe: ReturnType<typeof makeProbe>, frames: number, ms = 20) => {
    for (let i = 0; i < frames; i++) {
      probe.frame()
      await sleep(ms)
    }
  }

  it('sends nothing while nothing trips', async () => {
    const { chunks, take, reader } = await play({ frameMs: 5000 }, (probe) => turn(probe, 60))
    expect(take.conditions.mode).to.equal('keep-last')
    expect(chunks).to.have.length(0)
    expect(reader.ended).to.equal(true)
  })

  it('keeps the seconds around a slow frame, labelled with cause and time, and no more', async () => {
    const { chunks } = await play({ frameMs: 2500 }, async (probe) => {
      await turn(probe, 130)
      await turn(probe, 1, 3000)
      await turn(probe, 70)
    })
    const stretches = chunks.filter(({ stretch }) => stretch !== null)
    expect(stretches).to.have.length(1)
    expect(stretches[0]).to.equal(chunks[0])
    expect(chunks[0]!.stretch!.cause).to.match(/^frame over 2500 ms: \d{4}\.\d ms$/)
    expect(Math.abs(Date.parse(chunks[0]!.stretch!.at) - Date.now())).to.be.below(20_000)
    const starts = chunks.flatMap((chunk) => [...chunk.frameStartNs])
    const slow = chunks.flatMap((chunk) => [...chunk.frameDurationNs]).findIndex((ns) => ns > 2.5e9)
    const before = (starts[slow]! - starts[0]!) / 1e9
    expect(before).to.be.within(0.4, 1.8)
    expect(starts[0]).to.be.greaterThan(5e8)
  })

  it('trips on a marker, on a moment, and on request', async () => {
    for (const [wires, cause] of [
      [{ markers: { slow: 5 } }, 'slow over 5 ms'],
      [{ moments: ['bell'] }, 'moment bell'],
      [{}, 'the player pressed F9'],
    ] as const) {
      const { chunks } = await play(wires, async (probe) => {
        await turn(probe, 5)
        probe.run(probe.marker('slow'), () => spin(8))
        probe.moment('bell')
        if (cause.includes('F9')) probe.keep(cause)
        await turn(probe, 10)
      })
      expect(chunks[0]!.stretch!.cause).to.equal(cause)
    }
  })
})

describe('the recipient’s wishes', () => {
  it('are obeyed: stop, and keep', async () => {
    const sink = new MemorySink()
    let order!: (order: { order: 'stop' } | { order: 'keep'; cause: string }) => void
    const listening = Object.assign(sink, { onOrder: (listener: typeof order) => (order = listener) })
    const probe = makeProbe(listening, { mode: 'keep-last' })
    probe.frame()
    order({ order: 'keep', cause: 'asked for' })
    probe.frame()
    order({ order: 'stop' })
    await until(() => readBack(sink.records).reader.ended, 'the take ends')
    expect(readBack(sink.records).chunks[0]!.stretch!.cause).to.equal('asked for')
    expect(probe.recording).to.equal(false)
    probe.frame()
  })
})

describe('conditions', () => {
  it('hold the mode, and what recording costs inside and around a span', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink, { conditions: { build: 'debug' } as Conditions })
    probe.frame()
    await probe.close()
    const { build, recorder, probe: recordedBy } = readBack(sink.records).take.conditions
    const { version } = JSON.parse(
      readFileSync(new URL('../../../package.json', import.meta.url), 'utf8'),
    ) as {
      version: string
    }
    expect(recordedBy).to.equal(`Lapsus probe ${version}`)
    expect(build).to.equal('debug')
    expect(recorder!.insideNs).to.be.within(1, recorder!.spanNs)
  })
})
