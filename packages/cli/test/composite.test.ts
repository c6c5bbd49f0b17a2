/** `lapsus composite`, on files. */
import { expect } from 'chai'
import { join } from 'node:path'
import { endRecord, type AnyRecord } from '@lapsus/core/format'
import { recordsFrom, run, type TestFrame } from '../../core/test/support/studies.ts'
import { bytesOf, takeRecord } from '../../core/test/support/takes.ts'
import { lapsus, testFolder } from './support.ts'

const { folder, file } = testFolder()
const MS = 1e6

/** A take in which seek takes so long. */
function night(name: string, seekMs: number, { game = 'Test Game', letters = 3 } = {}): string {
  const frames = Array.from({ length: 70 }, (): TestFrame => ({
    runs: [run('sim', MS, { children: [run('seek', seekMs * MS)] })],
    gauges: { letters },
  }))
  const records: AnyRecord[] = [takeRecord({ game, take: `night-${name}-take` }), ...recordsFrom(frames)]
  return file(`${name}.lapsus`, bytesOf([...records, endRecord(records.length)]))
}

describe('lapsus composite', () => {
  it('writes a take in which every path takes the median, and says what the machine added', async () => {
    const out = join(folder, 'made.lapsus')
    const made = await lapsus(['composite', night('a', 1), night('b', 9), night('c', 4), '--out', out])
    expect([made.code, made.out, made.err]).to.deep.equal([0, `70 frames: ${out}\n`, ''])
    const inspected = JSON.parse((await lapsus(['inspect', out, '--json'])).out)
    expect(inspected.take).to.deep.include({ frames: 70, complete: true })
    expect(inspected.take.conditions.more).to.deep.equal({ 'composite of': 'a, b, c' })
    expect(inspected.frames.work.p50).to.equal(5)
    const seek = inspected.ledger.find(({ path }: { path: string[] }) => path.at(-1) === 'seek')
    expect(seek.selfMsPerFrame).to.equal(4)
    const added = JSON.parse((await lapsus(['ask', 'composite', out])).out)
    expect(
      added.takes.map(({ name, meanMs }: { name: string; meanMs: number }) => [name, meanMs]),
    ).to.deep.equal([
      ['a', -3],
      ['b', 5],
      ['c', 0],
    ])
  })

  it('ends with 2 for takes that are not of one run', async () => {
    const out = join(folder, 'refused.lapsus')
    const cases: [string[], string][] = [
      [[night('d', 1)], 'two takes are needed at least, of the same run'],
      [
        [night('d', 1), night('e', 1, { letters: 5 })],
        'from frame 0 on e has 2 more letters, and 100 % of the frames',
      ],
      [[night('d', 1), night('f', 1, { game: 'Other' })], 'takes of different games: Test Game, Other'],
      [[night('d', 1), join(folder, 'gone.lapsus')], 'there is no such file'],
    ]
    for (const [takes, words] of cases) {
      const { code, err } = await lapsus(['composite', ...takes, '--out', out])
      expect(code).to.equal(2)
      expect(err).to.contain(words)
    }
  })
})
