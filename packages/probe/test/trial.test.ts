/** Variants of the same code, used in turn while something is recorded. */
import { expect } from 'chai'
import { Trial } from '../src/trial.ts'
import { makeProbe, MemorySink, readBack } from './support.ts'

describe('a trial', () => {
  it('uses each variant once in every round, for a block of frames, in random order', () => {
    const orders = new Set<string>()
    for (let run = 0; run < 40; run++) {
      const trial = new Trial(['a', 'b', 'c'], 4)
      const used = Array.from({ length: 48 }, () => trial.turn())
      const blocks = Array.from({ length: 12 }, (_, i) => used.slice(4 * i, 4 * i + 4))
      for (const block of blocks) expect(new Set(block).size).to.equal(1)
      const rounds = Array.from({ length: 4 }, (_, i) => blocks.slice(3 * i, 3 * i + 3).map(([one]) => one))
      for (const round of rounds) expect([...round].sort()).to.deep.equal([0, 1, 2])
      orders.add(rounds[0]!.join())
    }
    expect(orders.size).to.equal(6)
  })

  it('changes between frames, and says in every frame which one was used', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    const seek = probe.trial('moth.seek', ['all', 'near'], { frames: 3 })
    const update = probe.marker('update')
    const used: number[] = []
    for (let frame = 0; frame < 24; frame++) {
      probe.frame()
      used.push(seek.is('near') ? 1 : 0)
      probe.run(update, () => expect(seek.now).to.equal(used.at(-1) === 1 ? 'near' : 'all'))
    }
    await probe.close()
    const { declares, chunks } = readBack(sink.records)
    const declared = declares.flatMap(({ gauges }) => gauges).find(({ name }) => name === 'moth.seek')!
    expect(declared.variants).to.deep.equal(['all', 'near'])
    const [samples] = chunks[0]!.gauges.filter(({ gauge }) => gauge === declared.id)
    expect([...samples!.frame]).to.deep.equal(used.map((_, frame) => frame))
    expect([...samples!.value]).to.deep.equal(used)
    expect(new Set(used).size).to.equal(2)
  })

  it('is the first variant where nothing is recorded', () => {
    const probe = makeProbe(null)
    const seek = probe.trial('moth.seek', ['all', 'near'], { frames: 1 })
    for (let frame = 0; frame < 20; frame++) {
      probe.frame()
      expect(seek.now).to.equal('all')
    }
  })

  it('with fewer than two names uses what there is, and says so in the take', async () => {
    const sink = new MemorySink()
    const probe = makeProbe(sink)
    for (const variants of [
      [],
      ['one'],
      ['one', 'one'],
      null,
      'ab',
      { length: 3 },
    ] as unknown as string[][]) {
      const trial = probe.trial('odd', variants, { frames: NaN })
      probe.frame()
      expect(trial.now).to.equal(Array.isArray(variants) ? (variants[0] ?? '') : '')
    }
    await probe.close()
    const { end, chunks, declares } = readBack(sink.records)
    expect(declares.flatMap(({ gauges }) => gauges)).to.deep.equal([])
    expect(JSON.stringify([chunks.map(({ problems }) => problems), end])).to.contain(
      'trials had not two variants',
    )
  })
})
