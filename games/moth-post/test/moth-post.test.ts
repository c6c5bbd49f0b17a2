import { expect } from 'chai'
import { createProbe, type Sink } from '@lapsus/probe'
import { RecordReader, type AnyRecord, type ChunkRecord } from '@lapsus/core/format'
import { Digester } from '@lapsus/core/take'
import { isLong } from '../../../test/support/extent.ts'
import { PostOffice } from '../src/post-office.ts'
import { randomFrom } from '../src/random.ts'
import { DEFAULTS, FLAWS, LANTERNS, parseFlaws } from '../src/settings.ts'
import { buildTown, strongestNearby, strongestOfAll, TOWN } from '../src/town.ts'

const silent = () => createProbe({ game: 'Moth Post' })

function night(flaws: string, seed: number, steps: number): string {
  const post = new PostOffice(
    { ...DEFAULTS, lanterns: LANTERNS, rampS: null, seed, flaws: parseFlaws(flaws) },
    silent(),
  )
  for (let i = 0; i < steps; i++) post.step()
  expect(post.world.delivered).to.be.greaterThan(50)
  expect(post.world.discrepancies).to.equal(0)
  return post.fingerprint()
}

/** Past two gates and a bell, with every chore of the house done. */
const STEPS = 1010
let known: string | null = null
const flawless = () => (known ??= night('none', 9, STEPS))

describe('Moth Post', () => {
  it('has the same night for the same seed, and another for another', () => {
    expect(night('none', 4, 500)).to.equal(night('none', 4, 500))
    expect(night('none', 4, 500)).not.to.equal(night('none', 5, 500))
  })

  for (const flaws of isLong ? ['all', ...Object.keys(FLAWS)] : ['all']) {
    it(`has the same night with and without ${flaws}: the fix changes cost, not outcome`, () => {
      expect(night(flaws, 9, STEPS)).to.equal(flawless())
    })
  }

  it('finds the same lantern in the buckets as among all', () => {
    const random = randomFrom(3)
    const town = buildTown(300, random)
    for (let i = 0; i < 2000; i++) {
      const x = random() * TOWN
      const y = random() * TOWN
      expect(strongestNearby(town, x, y)).to.equal(strongestOfAll(town, x, y))
    }
  })

  it('names the flaw it does not know', () => {
    expect(() => parseFlaws('letter-churn,typo')).to.throw('unknown flaw "typo"')
    expect(parseFlaws('all').size).to.equal(Object.keys(FLAWS).length)
    expect(parseFlaws('none').size).to.equal(0)
  })

  it('records at least 40 markers, five levels deep, 300 spans a frame, and the bell', async () => {
    const records: AnyRecord[] = []
    const reader = new RecordReader()
    const sink: Sink = {
      hasRoom: () => true,
      put: (bytes) => reader.push(bytes, (record) => records.push(record)),
      close: () => Promise.resolve(),
    }
    const probe = createProbe({ game: 'Moth Post', to: sink })
    const post = new PostOffice(
      { ...DEFAULTS, lanterns: LANTERNS, rampS: null, flaws: parseFlaws('all') },
      probe,
    )
    for (let i = 0; i < 400; i++) {
      probe.frame()
      post.step()
    }
    await probe.close()
    const digester = new Digester()
    const used = new Set<number>()
    let spans = 0
    for (const record of records) {
      if (record.record === 'declare') digester.declare(record)
      if (record.record !== 'chunk') continue
      const chunk = digester.digest(record)
      spans += chunk.spans.path.length
      for (const path of chunk.spans.path) used.add(digester.progress.paths.get(path).marker)
    }
    expect(used.size).to.be.at.least(40)
    expect(Math.max(...digester.progress.paths.all.map((path) => path.depth)) + 1).to.be.at.least(5)
    expect(spans / 400).to.be.at.least(300)
    const moments = records.flatMap((record) =>
      record.record === 'chunk' ? (record as ChunkRecord).moments : [],
    )
    expect(moments.map(({ name }) => name)).to.deep.equal(['gate-shut', 'shift-bell'])
    expect(moments[1]!.data).to.deep.equal({ shift: 1 })
  })
})
