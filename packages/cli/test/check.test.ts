/** `lapsus check`: exit codes, reports, and the demo game held to its own budget. */
import { expect } from 'chai'
import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { endRecord } from '@lapsus/core/format'
import type { Checked } from '@lapsus/core/gate'
import { nightRecords } from '../../core/test/support/night.ts'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { isLong } from '../../../test/support/extent.ts'
import { GAME, lapsus, ROOT, testFolder } from './support.ts'

const MS = 1_000_000
const { folder, file } = testFolder()

describe('lapsus check', () => {
  const night = (name: string) => file(`${name}.lapsus`, bytesOf(nightRecords(name)))

  it('makes a budget of a take, which holds, and is broken by less', async () => {
    const [take, budgetFile] = [night('checked-night'), join(folder, 'budget.json')]
    const made = await lapsus(['check', take, '--write', budgetFile])
    expect([made.code, made.err]).to.deep.equal([0, ''])
    const holds = await lapsus(['check', take, '--budget', budgetFile])
    expect([holds.code, holds.err]).to.deep.equal([0, ''])
    expect(holds.out).to.match(/^The budget holds: \d+ held\./)

    const budget = JSON.parse(readFileSync(budgetFile, 'utf8')) as { paths: { runsPerFrame: number }[] }
    budget.paths[0]!.runsPerFrame /= 2
    writeFileSync(budgetFile, JSON.stringify(budget))
    const [junit, markdown] = [join(folder, 'check.xml'), join(folder, 'check.md')]
    const reports = ['--junit', junit, '--markdown', markdown]
    const broken = await lapsus(['check', take, '--budget', budgetFile, '--json', ...reports])
    expect(broken.code).to.equal(1)
    const told = JSON.parse(broken.out) as Checked
    expect(told.outcome).to.equal('breached')
    expect(told.rows.filter(({ outcome }) => outcome === 'breached')).to.have.length(1)
    expect(readFileSync(junit, 'utf8')).to.contain('failures="1" errors="0"')
    expect(readFileSync(markdown, 'utf8')).to.contain('| BREACHED |')
  })

  it('holds the demo game to its budget of runs, which every flaw that adds some breaks', async () => {
    const budget = ['--budget', join(ROOT, 'games/moth-post/budget.json'), '--json']
    const breachedBy = async (flaws: string) => {
      const out = join(folder, `${flaws}.lapsus`)
      const game = [process.execPath, GAME, '--seconds', '10', '--seed', '7', '--no-paced', '--flaws', flaws]
      expect((await lapsus(['record', '--out', out, '--', ...game])).code).to.equal(0)
      const { code, out: json } = await lapsus(['check', out, ...budget])
      const { rows } = JSON.parse(json) as Checked
      expect(rows.filter(({ outcome }) => outcome === 'cannot-tell')).to.deep.equal([])
      return [code, ...rows.filter(({ outcome }) => outcome === 'breached').map(({ name }) => name.at(-1))]
    }
    expect(await breachedBy('none')).to.deep.equal([0])
    expect(await breachedBy('belt-retest')).to.deep.equal([1, 'belt.test'])
    if (!isLong) return
    expect(await breachedBy('tally-rebuild')).to.deep.equal([1, 'tally.text'])
    expect(await breachedBy('roost-awake')).to.include.members([1, 'moth.update'])
    expect(await breachedBy('dead-letters')).to.deep.equal([1, 'dead letter'])
  })

  it('adds up markers of one name', async () => {
    const twins = file(
      'twins.lapsus',
      bytesOf([
        takeRecord({ take: 'twin-markers' }),
        declareRecord(1, [{ name: 'sim' }, { name: 'sim' }]),
        chunkRecord(2, [{ lanes: [[node(0, 2 * MS), node(1, 3 * MS)]], restNs: MS }]),
        endRecord(3),
      ]),
    )
    const limits = { path: ['sim'], runsPerFrame: 2, msPerFrame: 5, ownMsPerFrame: 4.9 }
    const budget = { format: 'lapsus-budget', version: 1, paths: [limits] }
    const path = file('twins.json', Buffer.from(JSON.stringify(budget)))
    const { code, out } = await lapsus(['check', twins, '--budget', path, '--json'])
    expect(code).to.equal(1)
    const { rows } = JSON.parse(out) as Checked
    expect(rows.map(({ value, outcome }) => [value, outcome])).to.deep.equal([
      [2, 'holds'],
      [5, 'holds'],
      [5, 'breached'],
    ])
  })

  it('sets it against what was before', async () => {
    const { code, out } = await lapsus(['check', night('later-night'), '--against', night('checked-night')])
    expect(code).to.equal(0)
    expect(out).to.contain('any path against before')
  })

  it('ends with 2 for what it cannot read or judge', async () => {
    const take = night('checked-night')
    let budgets = 0
    const budget = (text: string) => ['--budget', file(`budget-${budgets++}.json`, Buffer.from(text))]
    const unknown =
      '{"format":"lapsus-budget","version":1,"frames":{"p50Ms":1e9},"paths":[{"path":["no"],"msPerFrame":1}]}'
    const cases: [string[], string][] = [
      [['check', take], 'nothing to check against'],
      [['check'], 'expected a take to check'],
      [['check', take, '--budget', join(folder, 'missing-budget.json')], 'ENOENT'],
      [['check', take, ...budget('{')], 'is no JSON'],
      [['check', take, ...budget('{"format":"lapsus-budget","version":9}')], 'of version 9'],
      [['check', take, ...budget(unknown)], 'the take has no path no on the lane'],
      [['check', join(folder, 'gone.lapsus'), ...budget(unknown)], 'there is no such file'],
    ]
    for (const [args, words] of cases) {
      const { code, out, err } = await lapsus(args)
      expect([code, args]).to.deep.equal([2, args])
      expect(out + err).to.contain(words)
    }
    const whole = readFileSync(take)
    const cut = file('cut-night.lapsus', whole.subarray(0, whole.length - 9))
    const loose = budget('{"format":"lapsus-budget","version":1,"frames":{"p50Ms":1e9}}')
    expect((await lapsus(['check', cut, ...loose])).code).to.equal(2)
    expect((await lapsus(['check', '--schema'])).out).to.contain('json-schema.org')
  })
})
