/** `lapsus compare`, on files. */
import { expect } from 'chai'
import { join } from 'node:path'
import { endRecord, type AnyRecord, type Fields } from '@lapsus/core/format'
import { readShape, wholeShape } from '@lapsus/core/questions'
import { COMPARISON, type ComparisonAnswer } from '@lapsus/core/questions/comparison'
import type { Inspection } from '../src/inspect.ts'
import { nightRecords } from '../../core/test/support/night.ts'
import { recordsFrom, run } from '../../core/test/support/studies.ts'
import { bytesOf, takeRecord } from '../../core/test/support/takes.ts'
import { lapsus, testFolder } from './support.ts'

const { folder, file } = testFolder()

/** Two variants in turn, in blocks of twenty frames; nothing runs more or less often. */
function trialRecords(): AnyRecord[] {
  const frames = Array.from({ length: 240 }, (_, i) => {
    const variant = Math.floor(i / 20) % 2
    const jitter = (i * 7919) % 20_000
    return { runs: [run('seek', (variant === 0 ? 3e6 : 2e6) + jitter)], gauges: { seek: variant } }
  })
  const following = recordsFrom(frames, { trials: { seek: ['all', 'near'] } })
  const take = takeRecord({ take: 'tried-night', conditions: { seed: 7 } })
  return [take, ...following, endRecord(following.length + 1, 0)]
}

describe('lapsus compare', () => {
  const night = (name: string) => file(`${name}.lapsus`, bytesOf(nightRecords(name)))

  it('sets files against each other: in words, as Markdown, as JSON', async () => {
    const [one, other] = [night('compared-night'), night('other-compared')]
    const { code, out, err } = await lapsus(['compare', one, '--with', other])
    expect([code, err]).to.deep.equal([0, ''])
    expect(out).to.match(/^(A frame takes as long|Whether a frame takes longer cannot be told)/)
    expect(out).to.contain('No path changed for sure.')
    const markdown = await lapsus(['compare', one, '--with', other, '--markdown'])
    expect(markdown.out).to.contain('| frames | before | after | at equal speed | 95 % interval |  |')
    const told = readShape(
      wholeShape(COMPARISON),
      JSON.parse((await lapsus(['compare', one, other, '--with', other, '--json'])).out) as Fields,
    ) as ComparisonAnswer
    expect(told.version).to.equal(COMPARISON.version)
    expect(told.speed.ratio).to.be.closeTo(1, 0.01)
    expect(told.frames.map(({ figure }) => figure)).to.include.members(['p50', 'p95', 'over', 'late'])
    expect(told.paths[0]).to.include.keys(
      'path',
      'lane',
      'before',
      'after',
      'difference',
      'low',
      'high',
      'verdict',
    )
  })

  it('sets the variants of a trial against each other', async () => {
    const path = file('trial.lapsus', bytesOf(trialRecords()))
    const { code, out, err } = await lapsus([
      'compare',
      `${path}:seek=all`,
      '--with',
      `${path}:seek=near`,
      '--json',
    ])
    expect([code, err]).to.deep.equal([0, ''])
    const told = JSON.parse(out) as ComparisonAnswer
    // One seed and as many frames; but not the same ones.
    expect(told.paired).to.equal(false)
    const inspected = await lapsus(['inspect', path, '--variant', 'seek=near', '--json'])
    const { frames } = JSON.parse(inspected.out) as Inspection
    expect(told.frames.find(({ figure }) => figure === 'p95')!.after).to.be.closeTo(frames.work.p95!, 1e-9)
    const none = await lapsus(['compare', path, '--with', `${path}:seek=none`])
    expect([none.code, none.err]).to.deep.equal([
      2,
      'lapsus: the take has no variant "seek=none"; there are: seek=all, seek=near\n',
    ])
  })

  it('gives each of its tables as CSV', async () => {
    const [one, other] = [night('compared-night'), night('other-compared')]
    const { code, out } = await lapsus(['compare', one, '--with', other, '--csv', 'paths'])
    expect(code).to.equal(0)
    const [heads, first] = out.split('\r\n')
    expect(heads).to.match(/^path,lane,before\.callsPerFrame,before\.msPerCall,before\.msPerFrame,/)
    expect(first).to.match(/^sim( > \w+)?,main,\d/)
    const frames = await lapsus(['compare', one, '--with', other, '--csv', 'frames'])
    expect(frames.out).to.match(/^figure,before,after,[\s\S]*\r\np95,\d/)
    const missing = await lapsus(['compare', one, '--with', other, '--csv', 'oxen'])
    expect([missing.code, missing.err]).to.deep.equal([
      2,
      'lapsus: there is no table "oxen"; there are: loads, frames, paths\n',
    ])
    const ledger = await lapsus(['ask', 'ledger', one, '--csv', 'rows'])
    expect(ledger.out).to.match(/^key,calls,[\s\S]*,selfMs,/)
    const inspected = await lapsus(['inspect', one, '--csv', 'ledger'])
    expect(inspected.out).to.match(/sim > text,,main,/)
  })

  it('ends with 2 for what cannot be compared', async () => {
    const empty = file('empty-take.lapsus', bytesOf(nightRecords('empty-night').slice(0, 2)))
    const cases: [string, string][] = [
      [empty, 'there are no frames after to compare'],
      [join(folder, 'gone.lapsus'), 'there is no such file'],
    ]
    for (const [path, words] of cases) {
      const { code, err } = await lapsus(['compare', night('compared-night'), '--with', path])
      expect(code).to.equal(2)
      expect(err).to.contain(words)
    }
    expect((await lapsus(['compare', night('compared-night')])).code).to.equal(2)
  })
})
