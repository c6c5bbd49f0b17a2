/** Findings, spikes, memory, roster, scaling, waiting and scoped ledgers over HTTP, on a real database. */
import { readAnswer } from '@lapsus/core/questions'
import { COURSE } from '@lapsus/core/questions/course'
import { DIAGNOSIS } from '@lapsus/core/questions/diagnosis'
import { LEDGER } from '@lapsus/core/questions/ledger'
import { readMarks } from '@lapsus/core/questions/diagnosis'
import { MEMORY } from '@lapsus/core/questions/memory'
import { ROSTER } from '@lapsus/core/questions/roster'
import { SCALING } from '@lapsus/core/questions/scaling'
import { WAITING } from '@lapsus/core/questions/waiting'
import { endRecord } from '@lapsus/core/format'
import { expect } from 'chai'
import { type Problem } from '@lapsus/api'
import type { AnyRecord } from '@lapsus/core/format'
import type { RunningServer } from '../src/index.ts'
import { NIGHT_FRAMES as FRAMES, nightRecords } from '../../core/test/support/night.ts'
import { bytesOf, takeRecord } from '../../core/test/support/takes.ts'
import { testServer, until } from './support.ts'

describe('diagnosis', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
    await importTake('one-night')
  })
  after(() => server.stop())

  const call = (path: string, init?: RequestInit) => fetch(`${server.address}/api${path}`, init)
  const json = async (path: string): Promise<unknown> => {
    const response = await call(path)
    expect(response.status, path).to.equal(200)
    return response.json()
  }
  const binary = async (path: string) => new Uint8Array(await (await call(path)).arrayBuffer())
  const importTake = (take: string) =>
    call('/imports', { method: 'POST', body: bytesOf(nightRecords(take)) as BodyInit })
  const problem = async (path: string): Promise<Problem> => (await (await call(path)).json()) as Problem
  const diagnosis = async (query = '') =>
    readAnswer(DIAGNOSIS, await json(`/takes/one-night/diagnosis${query}`))
  const kinds = (found: Awaited<ReturnType<typeof diagnosis>>) => found.findings.map(({ kind }) => kind)

  it('is worked out when a take ends, and stored', async () => {
    await until(
      async () => (await server.store.diagnoses.findByPk('one-night')) !== null,
      'the diagnosis is stored',
    )
    const found = await diagnosis()
    expect(found).to.include({ from: 0, to: FRAMES - 1, target: 60, withoutRecorder: false, pauses: 0 })
    expect(kinds(found)).to.include.members(['needless-updates', 'polling', 'spike-family'])
    const needless = found.findings.find(({ kind }) => kind === 'needless-updates')!
    expect(needless.path).to.deep.equal(['sim', 'npc'])
    expect(needless.costMsPerFrame).to.be.closeTo(0.75, 1e-6)
    expect(found.spikes.map(({ frame }) => frame)).to.deep.equal([60, 160, 260, 360])
    expect(found.spikes[0]).to.include({ family: 0, moment: 'gate', held: false })
    expect(found.spikes[0]!.causes[0]).to.deep.include({
      path: ['sim', 'search'],
      calls: 30,
      usualCalls: 0,
      why: 'more-calls',
    })
    expect(found.families[0]!.moment).to.deep.include({ name: 'gate', members: 4, times: 4 })
  })

  it('is stored again when other detectors made it', async () => {
    await server.store.diagnoses.update({ version: 0 }, { where: { takeId: 'one-night' } })
    const found = await diagnosis()
    expect(kinds(found)).to.include('polling')
    expect((await server.store.diagnoses.findByPk('one-night'))!.version).to.be.greaterThan(0)
  })

  it('is worked out anew when a take that was cut short goes on', async () => {
    const records = nightRecords('broken-night')
    const importPart = (part: AnyRecord[]) =>
      call('/imports', { method: 'POST', body: bytesOf(part) as BodyInit })
    await importPart(records.slice(0, 4))
    const before = readAnswer(DIAGNOSIS, await json('/takes/broken-night/diagnosis'))
    expect([before.to, before.spikes.length]).to.deep.equal([99, 1])
    await importPart(records)
    const after = readAnswer(DIAGNOSIS, await json('/takes/broken-night/diagnosis'))
    expect([after.to, after.spikes.length]).to.deep.equal([FRAMES - 1, 4])
  })

  it('can be of chosen frames, of another target, and without the recorder', async () => {
    const part = await diagnosis('?from=100&to=199')
    expect(part).to.include({ from: 100, to: 199 })
    expect(part.spikes.map(({ frame }) => frame)).to.deep.equal([160])
    expect((await diagnosis('?target=20')).spikes).to.deep.equal([])
    const bare = await diagnosis('?recorder=without')
    const cost = (found: typeof bare) => found.findings.find(({ kind }) => kind === 'needless-updates')!.text
    expect(bare.withoutRecorder).to.equal(true)
    // Which runs are needless is told by their own times, which are kept as recorded.
    expect(cost(bare)).to.contain('15.0 of these change nothing')
  })

  it('remembers what is marked for all takes of the game', async () => {
    const [first] = (await diagnosis()).findings
    const mark = (body: unknown) =>
      call('/takes/one-night/marks', {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      })
    const marked = await mark({ finding: first!.id, mark: 'known', reason: 'is being worked on' })
    expect(readMarks(await marked.json())).to.have.length(1)
    await importTake('another-night')
    const other = readAnswer(DIAGNOSIS, await json('/takes/another-night/diagnosis'))
    expect(other.marks).to.have.length(1)
    expect(other.marks[0]).to.include({ finding: first!.id, mark: 'known', reason: 'is being worked on' })
    await mark({ finding: first!.id, mark: 'no-problem', reason: '' })
    expect((await diagnosis()).marks[0]).to.include({ mark: 'no-problem', reason: '' })
    await mark({ finding: first!.id, mark: null, reason: '' })
    expect((await diagnosis()).marks).to.deep.equal([])
    expect((await mark({ finding: first!.id, mark: 'wrong' })).status).to.equal(400)
  })

  it('gives ledgers of spikes, typical frames and their difference', async () => {
    const ledger = async (scope: string) =>
      readAnswer(LEDGER, await json(`/takes/one-night/ledger?from=0&to=${FRAMES - 1}&by=path&scope=${scope}`))
    const spikes = await ledger('spikes')
    expect(spikes).to.include({ scope: 'spikes', frames: 4 })
    const difference = await ledger('difference')
    expect(difference.rows[0]).to.include({ calls: 30 })
    expect(difference.rows[0]!.selfMs).to.be.closeTo(18, 1e-6)
    expect((await ledger('chosen')).frames).to.equal(FRAMES)
    const typical = await ledger('typical')
    expect(typical.rows.every(({ key }) => key !== difference.rows[0]!.key)).to.equal(true)
  })

  it('gives one path’s course and how long its runs take', async () => {
    const { findings } = await diagnosis()
    const { pathId } = findings.find(({ kind }) => kind === 'needless-updates')!
    const course = readAnswer(COURSE, await binary(`/takes/one-night/course?paths=${pathId}&from=0&to=99`))
    expect(course.calls).to.have.length(100)
    expect(course.callsPerFrame).to.deep.equal({ least: 20, median: 20, most: 20 })
    expect(course.runTimes).to.include({ runs: 2000, leastNs: 50_000, worstNs: 50_000 })
    expect(course).to.include({ chunksRead: 2, chunks: 2 })
  })

  it('gives memory, roster, waiting and scaling', async () => {
    const memory = readAnswer(MEMORY, await binary('/takes/one-night/memory'))
    expect(memory.heap).to.have.length(FRAMES)
    expect(memory.allocatedFrom).to.equal('bytes')
    expect(memory.allocators[0]).to.include({ bytes: 20 * 2_000 * FRAMES, steady: true })
    expect(memory.classes.find(({ name }) => name === 'imp')).to.include({ born: 8, died: 0 })
    const { rows } = readAnswer(ROSTER, await json('/takes/one-night/roster'))
    expect(rows[0]).to.include({ sort: 'updater', name: 'npcs', asleep: 0.5, needless: 0.75 })
    const waiting = readAnswer(WAITING, await json('/takes/one-night/waiting'))
    expect(waiting.paths.map(({ reason }) => reason)).to.deep.equal(['refresh', 'job'])
    const { loads } = readAnswer(SCALING, await json('/takes/one-night/scaling'))
    const { id } = loads.find(({ name }) => name === 'load')!
    const scaling = readAnswer(
      SCALING,
      await json(`/takes/one-night/scaling?loads=${encodeURIComponent(id)}`),
    )
    expect(scaling.best!.law).to.equal('n')
    // Per unit of load 20 µs, and the rest of a frame.
    expect(scaling.best!.slopeNs).to.be.closeTo(20_000, 200)
    expect(scaling.exponent!.value).to.be.closeTo(1, 0.11)
  })

  it('says what is wrong with a question', async () => {
    expect(await problem(`/takes/one-night/diagnosis?from=0&to=${FRAMES}`)).to.include({
      status: 404,
      field: 'to',
    })
    expect(await problem('/takes/one-night/diagnosis?from=9&to=3')).to.include({ status: 400, field: 'to' })
    expect((await problem('/takes/one-night/scaling?loads=gauge 77')).detail).to.contain('there are: gauge 0')
    expect(await problem('/takes/one-night/scaling?loads=colour')).to.include({ status: 400, field: 'loads' })
    expect(await problem('/takes/one-night/scaling?path=9999')).to.include({ status: 400, field: 'path' })
    expect(await problem('/takes/one-night/course')).to.include({ status: 400, field: 'paths' })
    expect(await problem('/takes/nobody/diagnosis')).to.include({ status: 404 })
  })

  it('is empty for a take without frames', async () => {
    const empty: AnyRecord[] = [takeRecord({ take: 'empty-night' }), endRecord(1, 0)]
    await call('/imports', { method: 'POST', body: bytesOf(empty) as BodyInit })
    const found = readAnswer(DIAGNOSIS, await json('/takes/empty-night/diagnosis'))
    expect(found).to.deep.include({ findings: [], spikes: [], to: -1 })
    expect(readAnswer(ROSTER, await json('/takes/empty-night/roster')).rows).to.deep.equal([])
    expect(readAnswer(MEMORY, await binary('/takes/empty-night/memory')).heap).to.equal(null)
    expect(readAnswer(WAITING, await json('/takes/empty-night/waiting'))).to.include({ frames: 0, over: 0 })
    expect(readAnswer(SCALING, await json('/takes/empty-night/scaling')).points).to.deep.equal([])
  })
})
