/** What the command line says of a game in a running Lapsus: history, devices, what was tried. */
import { expect } from 'chai'
import type { Tried } from '@lapsus/api'
import type { Devices, HistoryLine } from '@lapsus/core/history'
import type { RunningServer } from '../../server/src/index.ts'
import { importWeeks, testServer } from '../../server/test/support.ts'
import { lapsus } from './support.ts'

describe('lapsus about a game', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
    await importWeeks(server)
  })
  after(() => server.stop())
  const ask = (...args: string[]) => lapsus(args, { LAPSUS_URL: server.address })

  it('prints its history, and what a version brought in', async () => {
    const { code, out, err } = await ask('history', 'Test Game')
    expect([code, err]).to.deep.equal([0, ''])
    expect(out).to.match(/18 takes of 6 versions: seek: \d\.\d+ ms a frame more since 1\.2 /)
    expect((await ask('history', 'Test Game', '--markdown')).out).to.contain(
      '## desk, attic, 60 frames a second',
    )
    expect((await ask('history', 'Test Game', '--csv', 'takes')).out).to.match(
      /^about,id,name,started,version,machine,mean,[\s\S]*history-17,/,
    )
    expect((await ask('history', 'Test Game', '--csv', 'changes')).out).to.contain('sim > seek')
    const { lines } = JSON.parse((await ask('history', 'Test Game', '--json')).out) as {
      lines: HistoryLine[]
    }
    expect(lines[0]!.takes).to.have.length(18)
  })

  it('prints devices, and what they hold', async () => {
    const { code, out } = await ask('devices', 'Test Game')
    expect(code).to.equal(0)
    expect(out).to.contain('60 frames a second: desk is the slowest that holds them')
    const { rows } = JSON.parse((await ask('devices', 'Test Game', '--json')).out) as Devices
    expect(rows.map(({ device }) => device)).to.deep.equal(['handset', 'desk'])
  })

  it('prints what was tried', async () => {
    expect((await ask('tried', 'Test Game')).out).to.equal('Nothing like that was tried.\n')
    const items = [{ remedy: 'pool', path: ['sim', 'mail'], state: 'dropped', reason: 'kept elsewhere' }]
    const body = JSON.stringify({ format: 'lapsus-plan', version: 1, name: 'spring', items })
    const headers = { 'content-type': 'application/json' }
    await fetch(`${server.address}/api/takes/history-0/plans`, { method: 'POST', headers, body })
    expect((await ask('tried', 'Test Game')).out).to.match(
      /spring, 1 +pool: sim > mail +dropped: kept elsewhere/,
    )
    const found = JSON.parse(
      (await ask('tried', 'Test Game', '--search', 'mail spring', '--json')).out,
    ) as Tried
    expect(found.items).to.have.length(1)
  })

  it('ends with 2 for a game that is not there', async () => {
    for (const what of ['history', 'devices', 'tried']) {
      const { code, err } = await ask(what, 'Nothing')
      expect([code, err]).to.deep.equal([2, 'lapsus: there is no game Nothing\n'])
    }
  })
})
