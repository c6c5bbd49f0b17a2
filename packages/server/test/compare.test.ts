/** What is said of several takes together, over HTTP: comparisons, checks, composites. */
import { expect } from 'chai'
import { pino } from 'pino'
import type { ImportResult, Problem, StoredPlan, TakeDetail, TakeSummary } from '@lapsus/api'
import type { ProofTold } from '@lapsus/core/compare'
import { endRecord, type AnyRecord } from '@lapsus/core/format'
import type { Checked } from '@lapsus/core/gate'
import type { ComparisonAnswer } from '@lapsus/core/questions/comparison'
import type { CompositeAnswer } from '@lapsus/core/questions/composite'
import type { RunningServer } from '../src/index.ts'
import { randomFrom, recordsFrom, run, type TestFrame } from '../../core/test/support/studies.ts'
import { bytesOf, takeRecord } from '../../core/test/support/takes.ts'
import { getJson, testServer, until } from './support.ts'

const MS = 1e6

describe('several takes together', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  const send = (path: string, body: unknown) =>
    fetch(server.address + path, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    })

  /** A night in which seek takes about so long. */
  async function night(
    take: string,
    seekMs: number,
    { letters = 3, game = 'Test Game' } = {},
  ): Promise<string> {
    const random = randomFrom(7)
    const ns = (ms: number) => Math.round(ms * MS * (0.97 + 0.06 * random()))
    const frames = Array.from({ length: 300 }, (): TestFrame => ({
      runs: [
        run('sim', ns(1), { children: [run('seek', ns(seekMs)), run('belt', ns(1))] }),
        run('draw', ns(2)),
      ],
      gauges: { letters },
    }))
    const records: AnyRecord[] = [takeRecord({ take, game }), ...recordsFrom(frames)]
    const body = bytesOf([...records, endRecord(records.length)]) as BodyInit
    const response = await fetch(`${server.address}/api/imports`, { method: 'POST', body })
    return ((await response.json()) as ImportResult).take
  }

  const refusal = async (response: Response): Promise<[number, string]> => {
    const { status, detail } = (await response.json()) as Problem
    return [status, detail]
  }

  it('are compared at an address that names them', async () => {
    const [one, other] = [await night('compared-1', 2), await night('compared-2', 1)]
    const told = await getJson<ComparisonAnswer>(server, `/api/comparisons?before=${one}&after=${other}`)
    const seek = told.paths.find(({ path }) => path.at(-1) === 'seek')!
    expect(seek.verdict).to.equal('better')
    expect(seek.difference).to.be.closeTo(-1, 0.05)
    const both = await getJson<ComparisonAnswer>(
      server,
      `/api/comparisons?before=${one},${one}&after=${other}&target=30`,
    )
    expect(both.seconds.before).to.be.closeTo(2 * told.seconds.before, 1e-9)
  })

  it('are compared only where there is something to compare', async () => {
    const one = await night('compared-3', 2)
    const cases: [string, number, string][] = [
      [`before=${one}&after=not-there`, 404, 'there is no take not-there'],
      [`before=${one}`, 400, 'after'],
      [`before=&after=${one}`, 400, '"before" must name 1 take at least'],
      [`before=${one}&after=${one}&target=0`, 400, 'target'],
    ]
    for (const [query, status, words] of cases) {
      const refused = await refusal(await fetch(`${server.address}/api/comparisons?${query}`))
      expect(refused[0], query).to.equal(status)
      expect(refused[1]).to.contain(words)
    }
    const empty = bytesOf([takeRecord({ take: 'no-frames' }), endRecord(1)]) as BodyInit
    await fetch(`${server.address}/api/imports`, { method: 'POST', body: empty })
    const refused = await fetch(`${server.address}/api/comparisons?before=${one}&after=no-frames`)
    expect(await refusal(refused)).to.deep.equal([422, 'there are no frames after to compare'])
  })

  it('are compared without a failure for somebody who has hung up', async () => {
    const lines: string[] = []
    const own = await testServer({}, pino({ level: 'error' }, { write: (line) => void lines.push(line) }))
    const body = bytesOf([
      takeRecord({ take: 'hung-up-on' }),
      ...recordsFrom([{ runs: [run('sim', MS)] }]),
    ]) as BodyInit
    await fetch(`${own.address}/api/imports`, { method: 'POST', body })
    const hangUp = new AbortController()
    const asked = fetch(`${own.address}/api/comparisons?before=hung-up-on&after=hung-up-on`, {
      signal: hangUp.signal,
    })
    setTimeout(() => hangUp.abort(), 150)
    expect(await asked.catch((error: Error) => error.name)).to.equal('AbortError')
    // The next one waits for its thread.
    const query = 'before=hung-up-on&after=hung-up-on'
    expect((await fetch(`${own.address}/api/comparisons?${query}`)).status).to.equal(200)
    await own.stop()
    expect(lines).to.deep.equal([])
  })

  it('are held against a budget, and against what was before', async () => {
    const [one, other] = [await night('checked-1', 1), await night('checked-2', 2)]
    const budget = (most: number) => ({
      format: 'lapsus-budget',
      version: 1,
      paths: [{ path: ['sim', 'seek'], msPerFrame: most }],
    })
    const check = async (body: object) => (await (await send('/api/checks', body)).json()) as Checked
    expect((await check({ takes: [one], budget: budget(1.1) })).outcome).to.equal('holds')
    const breached = await check({ takes: [one, other], budget: budget(1.1) })
    expect(breached.rows.map(({ outcome }) => outcome)).to.deep.equal(['holds', 'breached'])
    const against = await check({ takes: [other], against: [one] })
    expect(against.rows[0]).to.deep.include({ of: 'before', name: ['sim', 'seek'], outcome: 'breached' })
    const own = await getJson<object>(server, `/api/takes/${one}/budget`)
    expect((await check({ takes: [one], budget: own })).outcome).to.equal('holds')
    expect(
      (
        await check({
          takes: [other],
          budget: { ...own, paths: [{ path: ['sim', 'seek'], msPerFrame: 1.1 }] },
        })
      ).outcome,
    ).to.equal('breached')
    expect(await refusal(await send('/api/checks', { takes: [one] }))).to.deep.equal([
      400,
      'nothing to check against: send a budget, takes before, or both',
    ])
    expect((await refusal(await send('/api/checks', { takes: [one], budget: { version: 9 } })))[0]).to.equal(
      400,
    )
    expect((await refusal(await send('/api/checks', { takes: ['gone'], against: [one] })))[1]).to.equal(
      'there is no take gone',
    )
  })

  it('prove a plan, at equal speed', async () => {
    const [one, other] = [await night('planned-on-1', 2), await night('proved-by-1', 1)]
    const plan = (proof: string[]) => ({
      ...{ format: 'lapsus-plan', version: 1, name: 'half', proof },
      items: [{ remedy: 'drop', path: ['sim', 'seek'] }],
    })
    const make = async (proof: string[]) =>
      ((await (await send(`/api/takes/${one}/plans`, plan(proof))).json()) as StoredPlan).id
    const told = await getJson<ProofTold>(server, `/api/plans/${await make([other])}/proof`)
    expect(told.lines.find(({ id }) => id === 'mean')).to.include({ near: false, inRange: false })
    expect(told.paths[0]).to.deep.include({ path: ['sim', 'seek'], forecast: 0 })
    expect(told.paths[0]!.even).to.be.closeTo(1, 0.05)
    const cases: [string[], string][] = [
      [[], 'the plan names no take that proves it'],
      [['gone-take'], 'there is no take gone-take'],
      [[`${other}:seek=near`], 'has no variant seek=near'],
    ]
    for (const [proof, words] of cases) {
      const refused = await refusal(await fetch(`${server.address}/api/plans/${await make(proof)}/proof`))
      expect(refused[1]).to.contain(words)
    }
  })

  it('are laid over one another as a take of its own, which is diagnosed', async () => {
    const takes = [
      await night('laid-over-1', 1),
      await night('laid-over-2', 9),
      await night('laid-over-3', 4),
    ]
    const response = await send('/api/composites', { takes, name: 'three nights' })
    expect(response.status, await response.clone().text()).to.equal(201)
    const made = (await response.json()) as TakeSummary
    expect(made).to.include({ name: 'three nights', game: 'Test Game', state: 'complete', frames: 300 })
    const added = await getJson<CompositeAnswer>(server, `/api/takes/${made.id}/composite`)
    expect(added.takes.map(({ meanMs }) => Math.round(meanMs))).to.deep.equal([-3, 5, 0])
    expect(added.takes[0]!.course).to.have.length(200)
    const detail = await getJson<TakeDetail>(server, `/api/takes/${made.id}`)
    expect(detail.conditions.more).to.have.property('composite of')
    await until(
      async () => (await server.store.diagnoses.count({ where: { takeId: made.id } })) === 1,
      'it is diagnosed',
    )
  })

  it('are laid over one another only where they are of one run', async () => {
    const one = await night('falls-apart-1', 1)
    const cases: [string[], number, string][] = [
      [
        [one, await night('falls-apart-2', 1, { letters: 5 })],
        422,
        'these are not the same run: from frame 0 on',
      ],
      [[one, await night('falls-apart-3', 1, { game: 'Other Game' })], 422, 'takes of different games'],
      [[one], 400, '"takes" must name 2 takes at least'],
      [[one, 'gone'], 404, 'there is no take gone'],
    ]
    for (const [takes, status, words] of cases) {
      const refused = await refusal(await send('/api/composites', { takes }))
      expect(refused[0]).to.equal(status)
      expect(refused[1]).to.contain(words)
    }
    const { takes } = await getJson<CompositeAnswer>(server, `/api/takes/${one}/composite`)
    expect(takes).to.deep.equal([])
  })
})
