/** Parts of the post office by themselves: that each flaw costs what it is meant to, and each fix does not. */
import { expect } from 'chai'
import { join } from 'node:path'
import { createProbe, type Probe, type Sink } from '@lapsus/probe'
import { Digester } from '@lapsus/core/take'
import { RecordReader, type ChunkRecord, type DeclareRecord } from '@lapsus/core/format'
import { blockUntil, Display } from '../src/display.ts'
import { PostOffice } from '../src/post-office.ts'
import { randomFrom } from '../src/random.ts'
import { turnGears } from '../src/rooms/mechanics.ts'
import { routesAtOnce, routesInSlices, type RouteBatch, type RoutePlanner } from '../src/routes.ts'
import { routesOnWorkers } from '../src/routes-thread.ts'
import { DEFAULTS, LANTERNS, parseFlaws } from '../src/settings.ts'
import { lanternNamed } from '../src/town.ts'
import { windOnThisThread } from '../src/wind.ts'
import { beatPacked, newWings, wingSum } from '../src/wings.ts'
import { onThisThread } from '../src/world.ts'

const DIST = join(import.meta.dirname, '../dist')

function office(
  flaws: string,
  probe: Probe = createProbe({ game: 'Moth Post' }),
  helpers = onThisThread(windOnThisThread()),
) {
  return new PostOffice(
    { ...DEFAULTS, lanterns: LANTERNS, rampS: null, flaws: parseFlaws(flaws) },
    probe,
    helpers,
  )
}

/** Plays so many steps, and gives what was recorded: runs by marker, and the chunks. */
async function recorded(flaws: string, steps: number, elapsedMs?: number) {
  const chunks: ChunkRecord[] = []
  const declares: DeclareRecord[] = []
  const reader = new RecordReader()
  const sink: Sink = {
    hasRoom: () => true,
    put: (bytes) =>
      reader.push(bytes, (record) => {
        if (record.record === 'chunk') chunks.push(record)
        if (record.record === 'declare') declares.push(record)
      }),
    close: () => Promise.resolve(),
  }
  const probe = createProbe({ game: 'Moth Post', to: sink })
  const post = office(flaws, probe)
  for (let i = 0; i < steps; i++) {
    probe.frame()
    post.step(elapsedMs)
  }
  await probe.close()
  const digester = new Digester()
  for (const record of declares) digester.declare(record)
  const { declarations } = digester.progress
  const runs = new Map<string, number>()
  for (const chunk of chunks) {
    for (const marker of chunk.lanes[0]!.marker) {
      const { name } = declarations.marker(marker)
      runs.set(name, (runs.get(name) ?? 0) + 1)
    }
  }
  const gauge = (name: string) => {
    const id = [...declarations.gauges.values()].find((declared) => declared.name === name)!.id
    return chunks.flatMap((chunk) => [...(chunk.gauges.find((samples) => samples.gauge === id)?.value ?? [])])
  }
  const lives = (name: string) => {
    const id = [...declarations.classes.values()].find((declared) => declared.name === name)!.id
    const own = chunks.flatMap((chunk) => chunk.lives.filter((samples) => samples.class === id))
    const sum = (pick: 'born' | 'died') =>
      own.reduce((total, samples) => total + samples[pick].reduce((a, b) => a + b, 0), 0)
    return { born: sum('born'), died: sum('died') }
  }
  return { runs: (name: string) => runs.get(name) ?? 0, gauge, lives, chunks, post }
}

describe('flaws of Moth Post', () => {
  const STEPS = 900

  it('show in what is recorded, and their fixes do not', async () => {
    const flawed = await recorded('all', STEPS)
    const fixed = await recorded('none', STEPS)
    // letter-churn
    expect(flawed.lives('letter').born).to.be.greaterThan(500)
    expect(fixed.lives('letter')).to.deep.equal({ born: 0, died: 0 })
    // roost-awake
    expect(flawed.runs('moth.update')).to.equal(STEPS * 150)
    expect(fixed.runs('moth.update')).to.be.below(STEPS * 110)
    // tally-rebuild
    expect(flawed.runs('tally.text')).to.equal(STEPS)
    expect(fixed.runs('tally.text')).to.be.below(STEPS / 10)
    // belt-retest
    expect(flawed.runs('belt.test')).to.equal(4 * fixed.runs('belt.test'))
    // name-search
    expect(flawed.runs('lantern.find')).to.be.greaterThan(STEPS)
    expect(fixed.runs('lantern.find')).to.equal(0)
    // moth-objects
    expect(flawed.runs('wing.beat')).to.equal(STEPS * 150)
    expect(fixed.runs('wing.beat')).to.equal(0)
    // dead-letters
    const dead = flawed.gauge('dead letters')
    expect(dead.at(-1)).to.be.greaterThan(15)
    expect([...dead].every((value, i) => i === 0 || value >= dead[i - 1]!)).to.equal(true)
    expect(fixed.gauge('dead letters').at(-1)).to.be.below(5)
    expect(flawed.post.world.deadAccount).to.equal(fixed.post.world.deadAccount)
  })

  it('plan all routes in the frame of the gate, or a few in each', async () => {
    const searches = async (flaws: string) => {
      const { chunks, post } = await recorded(flaws, 260)
      const marker = post.world.markers['path.search']
      const perFrame: number[] = []
      for (const { lanes } of chunks) {
        let at = 0
        for (const count of lanes[0]!.count) {
          perFrame.push(lanes[0]!.marker.subarray(at, at + count).filter((id) => id === marker).length)
          at += count
        }
      }
      return perFrame
    }
    const [burst, sliced] = [await searches('route-burst'), await searches('none')]
    expect(Math.max(...burst)).to.be.greaterThan(20)
    expect(Math.max(...sliced)).to.be.below(12)
    expect(burst.reduce((a, b) => a + b)).to.equal(sliced.reduce((a, b) => a + b))
  })

  it('let belt mechanics pile up after a long frame, or leave steps out', () => {
    for (const [flaws, steps] of [
      ['step-pileup', 60],
      ['none', 4],
    ] as const) {
      const { world } = office(flaws)
      expect(turnGears(world, 500), flaws).to.equal(steps)
      expect(turnGears(world, 1000 / 60), flaws).to.equal(2)
    }
  })

  it('keep letters from piling up: the office keeps up with its usual load', async () => {
    const letters = (await recorded('none', 1600)).gauge('letters')
    expect(Math.max(...letters.slice(800))).to.be.below(200)
  })
})

describe('routes', () => {
  it('come out the same at once, in slices, and as jobs on real threads', async () => {
    const post = office('none')
    const random = randomFrom(8)
    const batch = (): RouteBatch => ({
      moths: Array.from({ length: 31 }, (_, i) => i),
      places: Float32Array.from(places),
      cost: new Float32Array(31),
      dueStep: 45,
      done: 0,
      jobs: [],
    })
    const places = Array.from({ length: 31 * 4 }, () => random() * 500)
    const costs = []
    for (const planner of [
      routesAtOnce(),
      routesInSlices(),
      routesOnWorkers(new URL(`file://${DIST}/routes-worker.mjs`)),
    ]) {
      const own = batch()
      planner.begin(post.world, own)
      for (let step = 0; step < 5; step++) planner.go(post.world, own)
      planner.join(post.world, own)
      planner.stop()
      costs.push([...own.cost])
    }
    expect(Math.min(...costs[0]!)).to.be.greaterThan(0)
    expect(costs[1]).to.deep.equal(costs[0])
    expect(costs[2]).to.deep.equal(costs[0])
  })
})

describe('a gate that shuts while the flaw is switched', () => {
  it('has its routes planned to the end by who began them', () => {
    const begun: RouteBatch[] = []
    const joined: RouteBatch[] = []
    const jobs: RoutePlanner = {
      begin: (_, batch) => void begun.push(batch),
      go: () => {},
      join: (_, batch) => {
        if (!begun.includes(batch)) throw new Error('joins what it did not begin')
        joined.push(batch)
      },
      stop: () => {},
    }
    const flaws = parseFlaws('none')
    const helpers = { ...onThisThread(windOnThisThread()), routes: jobs }
    const settings = { ...DEFAULTS, lanterns: LANTERNS, rampS: null, flaws }
    const post = new PostOffice(settings, createProbe({ game: 'Moth Post' }), helpers)
    // A gate shuts every 400 steps from the 180th on; its news come 45 steps later.
    for (let step = 0; step <= 700; step++) {
      if (step === 200 || step === 600) flaws.add('route-burst')
      if (step === 400) flaws.add('route-burst')
      if (step === 240 || step === 590) flaws.delete('route-burst')
      post.step(16)
    }
    expect(begun.length).to.be.greaterThan(0)
    expect(joined).to.deep.equal(begun)
  })
})

describe('wings', () => {
  it('beat the same as objects and packed', () => {
    const wings = newWings(40, randomFrom(2))
    for (let i = 0; i < 200; i++) {
      beatPacked(wings)
      for (const scales of wings.objects) for (const scale of scales) scale.beat()
    }
    expect(wingSum(wings, true)).to.be.closeTo(wingSum(wings, false), 1e-9)
    expect(wingSum(wings, true)).not.to.equal(0)
  })
})

describe('the town', () => {
  it('finds lanterns by name, all of them different', () => {
    const { town } = office('none').world
    expect(new Set(town.lanterns.map(({ name }) => name)).size).to.equal(LANTERNS)
    expect(lanternNamed(town, town.lanterns[77]!.name)).to.equal(town.lanterns[77])
    expect(lanternNamed(town, 'no such lantern')).to.equal(null)
  })
})

describe('the stand-in display', () => {
  it('lets a game go on that graphics keep up with, and holds one that they do not', () => {
    const quick = new Display(0)
    expect([quick.submit(12, 100), quick.submit(12, 101)]).to.deep.equal([100, 101])
    const slow = new Display(30)
    expect(slow.submit(12, 100)).to.equal(100)
    // The frame before is still being drawn; twice the batches take twice as long.
    expect(slow.submit(24, 104)).to.equal(130)
    expect(slow.submit(12, 130)).to.equal(190)
    expect(slow.submit(12, 300)).to.equal(300)
  })

  it('is waited for on the thread', () => {
    const startMs = performance.now()
    blockUntil(startMs + 15)
    expect(performance.now() - startMs).to.be.at.least(15)
    blockUntil(startMs)
  })
})
