/** A game over weeks, over devices, and what was tried in it, over HTTP. */
import { expect } from 'chai'
import type { KeptComparison, Problem, StoredPlan, Tried } from '@lapsus/api'
import type { Devices, HistoryLine } from '@lapsus/core/history'
import type { RunningServer } from '../src/index.ts'
import { getJson, importWeeks, testServer } from './support.ts'

describe('a game as a whole', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
    await importWeeks(server)
  })
  after(() => server.stop())

  const send = (method: string, path: string, body?: unknown) =>
    fetch(server.address + path, {
      method,
      headers: { 'content-type': 'application/json' },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    })

  it('has a history, in which what a version brought in is found', async () => {
    const { lines } = await getJson<{ lines: HistoryLine[] }>(server, '/api/history?game=Test+Game')
    expect(lines.map(({ takes }) => takes.length)).to.deep.equal([18, 1])
    const [line] = lines
    expect(
      line!.changes.filter(({ of }) => of === 'path').map(({ name, toVersion }) => [name, toVersion]),
    ).to.deep.equal([[['sim', 'seek'], '1.2']])
    expect(line!.figures.find(({ name }) => name === 'mean')!.values).to.have.length(18)
    // Summed up once: the second time nothing is read but sums.
    expect(await server.store.takeSums.count()).to.equal(19)
    await server.store.chunks.destroy({ where: {} })
    const again = await getJson<{ lines: HistoryLine[] }>(server, '/api/history?game=Test+Game')
    expect(again.lines).to.deep.equal(lines)
  })

  it('has groups with the budgets of the device, and no composites beside what they are made of', async () => {
    const response = await send('PUT', '/api/takes/history-0/budgets', {
      device: 'desk',
      groups: { '': 0.5 },
    })
    expect(response.status).to.equal(200)
    await server.store.takes.update(
      { conditions: JSON.stringify({ device: 'handset', more: { 'composite of': 'a, b' } }) },
      { where: { id: 'history-17' } },
    )
    const { lines } = await getJson<{ lines: HistoryLine[] }>(server, '/api/history?game=Test+Game')
    expect(lines.map(({ takes }) => takes.length)).to.deep.equal([17, 1])
    expect(lines.map(({ groups }) => groups.map(({ group, budgetMs }) => [group, budgetMs]))).to.deep.equal([
      [['', 0.5]],
      [['', null]],
    ])
    expect(lines[0]!.groups[0]!.ms.at(-1)).to.be.greaterThan(5)
  })

  it('has devices, with what holds where', async () => {
    const { rows, targets, lowest } = await getJson<Devices>(server, '/api/devices?game=Test+Game')
    expect(rows.map(({ device, version }) => [device, version])).to.deep.equal([
      ['handset', '1.5'],
      ['desk', '1.5'],
    ])
    expect(lowest[targets.indexOf(30)]).to.equal(0)
    expect(lowest[targets.indexOf(60)]).to.equal(1)
  })

  it('remembers what was tried, and why it was dropped', async () => {
    const plan = {
      ...{ format: 'lapsus-plan', version: 1, name: 'spring' },
      items: [
        { remedy: 'pool', path: ['sim', 'mail'], state: 'dropped', reason: 'letters are kept elsewhere' },
        { remedy: 'timer', path: ['sim', 'seek'] },
      ],
    }
    const stored = (await (await send('POST', '/api/takes/history-0/plans', plan)).json()) as StoredPlan
    const tried = (search: string) =>
      getJson<Tried>(server, `/api/tried?${new URLSearchParams({ game: 'Test Game', search })}`)
    expect((await tried('')).items.map(({ number, remedy }) => [number, remedy])).to.deep.equal([
      [1, 'pool'],
      [2, 'timer'],
    ])
    const [dropped] = (await tried('kept ELSEWHERE')).items
    expect(dropped).to.deep.include({
      ...{ plan: stored.id, planName: 'spring', take: 'history-0', state: 'dropped' },
      ...{ path: ['sim', 'mail'], reason: 'letters are kept elsewhere' },
    })
    expect((await tried('mail timer')).items).to.deep.equal([])
  })

  it('keeps comparisons, until they are dropped', async () => {
    const kept = {
      before: ['history-0'],
      after: ['history-8', 'history-9'],
      sentence: '1 ms a frame worse, surely.',
    }
    const response = await send('POST', '/api/kept-comparisons', kept)
    expect(response.status).to.equal(201)
    const { id } = (await response.json()) as KeptComparison
    const { comparisons } = await getJson<Tried>(server, '/api/tried?game=Test+Game&search=worse')
    expect(comparisons).to.have.length(1)
    expect(comparisons[0]).to.deep.include({ id, ...kept })
    expect((await send('DELETE', `/api/kept-comparisons/${id}`)).status).to.equal(204)
    expect((await send('DELETE', `/api/kept-comparisons/${id}`)).status).to.equal(404)
    expect((await send('POST', '/api/kept-comparisons', { ...kept, after: ['gone'] })).status).to.equal(404)
  })

  it('is known by its name', async () => {
    for (const what of ['history', 'devices', 'tried']) {
      const response = await fetch(`${server.address}/api/${what}?game=Nothing`)
      expect([response.status, ((await response.json()) as Problem).detail]).to.deep.equal([
        404,
        'there is no game Nothing',
      ])
      expect((await fetch(`${server.address}/api/${what}`)).status).to.equal(400)
    }
  })
})
