/** Plans, budgets, and what forecasts are computed from, over HTTP on a real database. */
import { expect } from 'chai'
import { inflateRawSync } from 'node:zlib'
import { checkBudgets, checkPlan, checkPlans, checkTake, type Problem, type StoredPlan } from '@lapsus/api'
import { baseOf, emptyPlan, forecastPlan, newItem, planToJson, type Plan } from '@lapsus/core/remedy'
import { readAnswer } from '@lapsus/core/questions'
import { FORECAST } from '@lapsus/core/questions/forecast'
import { buildStudy, studyChunkOf, StoredChunkReader } from '@lapsus/core/study'
import { Declarations, PathTable } from '@lapsus/core/take'
import type { RunningServer } from '../src/index.ts'
import { NIGHT_FRAMES as FRAMES, nightRecords } from '../../core/test/support/night.ts'
import { bytesOf } from '../../core/test/support/takes.ts'
import { testServer } from './support.ts'

describe('plans', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
    for (const take of ['plan-night', 'other-night'])
      await call('/imports', { method: 'POST', body: bytesOf(nightRecords(take)) as BodyInit })
  })
  after(() => server.stop())

  const call = (path: string, init?: RequestInit) => fetch(`${server.address}/api${path}`, init)
  const send = (method: string, path: string, body: unknown) =>
    call(path, { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })
  const problem = async (response: Response): Promise<Problem> => (await response.json()) as Problem
  const plan: Plan = {
    ...emptyPlan('quiet nights'),
    items: [newItem('sleep', ['sim', 'npc'], '', 'a'), newItem('react', ['sim', 'text'], '', 'b')],
  }
  const make = async (sent: object = planToJson(plan)): Promise<StoredPlan> =>
    checkPlan(await (await send('POST', '/takes/plan-night/plans', sent)).json())
  const list = async (take: string) => checkPlans(await (await call(`/takes/${take}/plans`)).json())

  it('are made from a take, and seen from all takes of the game', async () => {
    const made = await make()
    expect(made).to.deep.include({
      revision: 1,
      take: 'plan-night',
      name: 'quiet nights',
      items: 2,
      problems: [],
    })
    expect(made.plan).to.deep.equal(plan)
    expect((await list('other-night')).map(({ id }) => id)).to.include(made.id)
    expect(checkPlan(await (await call(`/plans/${made.id}`)).json()).plan).to.deep.equal(plan)
  })

  it('are changed one revision after the other, never over what somebody else wrote', async () => {
    const { id } = await make()
    const changed = { ...plan, items: [{ ...plan.items[0]!, state: 'dropped' as const, reason: 'no gain' }] }
    const put = (revision: number) => send('PUT', `/plans/${id}`, { revision, plan: planToJson(changed) })
    const stored = checkPlan(await (await put(1)).json())
    expect(stored).to.deep.include({ revision: 2, items: 0 })
    expect(stored.plan).to.deep.equal(changed)
    const late = await put(1)
    expect(late.status).to.equal(409)
    expect((await problem(late)).detail).to.equal(
      'the plan was changed elsewhere: it is at revision 2, not 1',
    )
    const [one, two] = await Promise.all([put(2), put(2)])
    expect([one.status, two.status].sort()).to.deep.equal([200, 409])
  })

  it('are put aside, and brought back', async () => {
    const { id } = await make()
    expect((await call(`/plans/${id}`, { method: 'DELETE' })).status).to.equal(204)
    expect((await call(`/plans/${id}`)).status).to.equal(404)
    expect((await list('plan-night')).some((one) => one.id === id)).to.equal(false)
    expect(
      checkPlan(await (await call(`/plans/${id}/restore`, { method: 'POST' })).json()).plan,
    ).to.deep.equal(plan)
    expect((await call(`/plans/${id}/restore`, { method: 'POST' })).status).to.equal(404)
  })

  it('name what makes no sense in them, and keep the rest', async () => {
    const made = await make({ ...planToJson(plan), items: [{ remedy: 'magic' }, plan.items[0]] })
    expect(made.plan.items).to.deep.equal([plan.items[0]])
    expect(made.problems[0]).to.contain('item 1 is left out: there is no remedy "magic"')
    for (const [sent, words] of [
      [{}, '"format" must be "lapsus-plan", got nothing'],
      [
        { format: 'lapsus-plan', version: 9, items: [] },
        'this plan is of version 9; version 1 is understood here',
      ],
    ] as const) {
      const refused = await send('POST', '/takes/plan-night/plans', sent)
      expect(refused.status).to.equal(400)
      expect((await problem(refused)).detail).to.equal(words)
    }
    expect((await send('PUT', '/plans/none', { revision: 1, plan: planToJson(plan) })).status).to.equal(404)
    expect((await send('PUT', '/plans/none', { plan: planToJson(plan) })).status).to.equal(400)
    expect((await call('/takes/nowhere-at-all/plans')).status).to.equal(404)
  })

  it('outlive the take they were made from', async () => {
    await call('/imports', { method: 'POST', body: bytesOf(nightRecords('short-night')) as BodyInit })
    const made = checkPlan(await (await send('POST', '/takes/short-night/plans', planToJson(plan))).json())
    await call('/takes/short-night', { method: 'DELETE' })
    expect(checkPlan(await (await call(`/plans/${made.id}`)).json()).plan).to.deep.equal(plan)
  })

  it('are forecast for all frames, or for chosen ones', async () => {
    const { id } = await make()
    const forecast = async (query: string) => {
      const response = await call(`/takes/plan-night/forecast?plan=${id}${query}`)
      expect(response.status).to.equal(200)
      return readAnswer(FORECAST, await response.json())
    }
    const whole = await forecast('')
    expect(whole.before.frames.frames).to.equal(FRAMES)
    expect(whole.items.map(({ remedy, refusal }) => [remedy, refusal])).to.deep.equal([
      ['sleep', null],
      ['react', null],
    ])
    expect(whole.after.meanMs).to.be.lessThan(whole.before.meanMs)
    expect(whole.ranges.p95.low).to.be.at.most(whole.after.frames.work.p95)
    const part = await forecast('&from=10&to=29')
    expect([part.from, part.to, part.before.frames.frames]).to.deep.equal([10, 29, 20])
    expect((await call('/takes/plan-night/forecast?plan=winter')).status).to.equal(404)
    expect((await call('/takes/plan-night/forecast')).status).to.equal(400)
  })

  it('are worked out on what the server sends: the same study as its own', async () => {
    const detail = checkTake(await (await call('/takes/plan-night')).json())
    const bytes = new Uint8Array(await (await call('/takes/plan-night/study')).arrayBuffer())
    const reader = new StoredChunkReader()
    // Pieces of any length, as a network brings them.
    const stored = []
    for (let at = 0; at < bytes.length; at += 7_001)
      stored.push(...reader.push(bytes.subarray(at, at + 7_001)))
    reader.finish()
    const chunks = await Promise.all(
      stored.map((chunk) => studyChunkOf(chunk, async (packed) => inflateRawSync(packed))),
    )
    const declarations = new Declarations()
    declarations.apply(detail)
    const paths = new PathTable()
    for (const { parent, lane, marker } of detail.paths)
      paths.child(parent, lane, declarations.marker(marker))
    const study = buildStudy({ conditions: detail.conditions, target: 60, declarations, paths }, chunks)
    expect(study.frames.startNs).to.have.length(FRAMES)
    const { forecast } = forecastPlan(baseOf(study), plan)
    expect(forecast.items.map(({ refusal }) => refusal)).to.deep.equal([null, null])
    // Three of four frames hold 20 needless runs of 0.05 ms; the text changes once in 40 frames.
    expect(forecast.items[0]!.gainMsPerFrame).to.be.closeTo(0.75, 0.01)
    expect(forecast.items[1]!.gainMsPerFrame).to.be.closeTo((0.5 * 39) / 40, 0.01)
    const cut = new StoredChunkReader()
    cut.push(bytes.subarray(0, bytes.length - 3))
    expect(() => cut.finish()).to.throw('cut off')
  })
})

describe('budgets of groups', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
    await fetch(`${server.address}/api/imports`, {
      method: 'POST',
      body: bytesOf(nightRecords('budget-night')) as BodyInit,
    })
  })
  after(() => server.stop())

  const budgets = async () =>
    checkBudgets(await (await fetch(`${server.address}/api/takes/budget-night/budgets`)).json())
  const put = (body: unknown) =>
    fetch(`${server.address}/api/takes/budget-night/budgets`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    })

  it('are none at first, and what was set from then on', async () => {
    expect(await budgets()).to.deep.equal({ budgets: { device: '', groups: {} }, device: '' })
    await put({ device: '', groups: { board: 1, simulation: 6.5 } })
    expect((await budgets()).budgets.groups).to.deep.equal({ board: 1, simulation: 6.5 })
    await put({ device: 'another', groups: { board: 9 } })
    expect((await budgets()).budgets.groups).to.deep.equal({ board: 1, simulation: 6.5 })
    await put({ device: '', groups: {} })
    expect((await budgets()).budgets.groups).to.deep.equal({})
  })

  it('must be times', async () => {
    for (const groups of [{ board: -1 }, { board: 'much' }, { board: 0 }, { board: 1e9 }]) {
      const response = await put({ device: '', groups })
      expect(response.status).to.equal(400)
      expect(((await response.json()) as Problem).detail).to.contain('the budget of “board” must be above 0')
    }
    expect((await put({ groups: 7 })).status).to.equal(400)
  })
})
