/** `lapsus ask`, run as a person would: the same answer as a server gives of the same take. */
import { expect } from 'chai'
import { QUESTION_LIST } from '@lapsus/core/questions/all'
import { endRecord } from '@lapsus/core/format'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { testServer } from '../../server/test/support.ts'
import { lapsus, testFolder } from './support.ts'

const MS = 1_000_000
const frames = (count: number) =>
  Array.from({ length: count }, (_, i) => ({
    lanes: [[node(0, (2 + (i % 3)) * MS, [node(1, 0.5 * MS)])]],
    restNs: 9 * MS,
  }))
const TAKE = bytesOf([
  takeRecord({ take: 'asked-from-a-file' }),
  declareRecord(1, [{ name: 'sim' }, { name: 'moth' }]),
  chunkRecord(2, frames(40)),
  chunkRecord(3, frames(20), 1e9),
  endRecord(4),
])

describe('lapsus ask', () => {
  const { file } = testFolder()
  const path = file('take.lapsus', TAKE)
  const plan = file(
    'plan.json',
    Buffer.from(JSON.stringify({ format: 'lapsus-plan', version: 1, items: [] })),
  )
  const asked = async (...args: string[]) => {
    const { out, err } = await lapsus(['ask', ...args])
    expect(err).to.equal('')
    return JSON.parse(out) as Record<string, unknown>
  }

  it('answers every question as the server does', async () => {
    const server = await testServer()
    await fetch(`${server.address}/api/imports`, { method: 'POST', body: Buffer.from(TAKE) })
    const takeAddress = `${server.address}/api/takes/asked-from-a-file`
    for (const { name } of QUESTION_LIST) {
      const told = await asked(
        name,
        path,
        ...(name === 'course' ? ['--set', 'paths=0,1'] : []),
        ...(name === 'page' ? ['--set', 'frame=41'] : []),
        ...(name === 'forecast' ? ['--set', `plan=${plan}`] : []),
      )
      expect(told, name).to.have.property('version')
      if (!['ledger', 'roster', 'waiting', 'scaling', 'diagnosis', 'trial'].includes(name)) continue
      const query = name === 'ledger' ? '?from=0&to=59' : ''
      const answered = (await (await fetch(`${takeAddress}/${name}${query}`)).json()) as object
      expect(told, name).to.deep.equal(answered)
    }
    await server.stop()
  })

  it('reads single runs and frames from the file', async () => {
    const course = await asked('course', path, '--set', 'paths=1', '--frames', '38-41')
    expect(course['runTimes']).to.include({ runs: 4, medianNs: 500_000 })
    expect(course).to.include({ from: 38, to: 41, chunks: 2, chunksRead: 2 })
    const page = await asked('page', path, '--set', 'frame=41')
    expect(page['spanDurationNs']).to.deep.equal([3_500_000, 500_000])
  })

  it('says what is wrong with a question, in one line', async () => {
    const wrong = async (...args: string[]) => {
      const { code, err } = await lapsus(['ask', ...args])
      expect(code).to.equal(2)
      return err
    }
    expect(await wrong('mood', path)).to.contain('Allowed choices')
    expect(await wrong('page', path, '--set', 'frame=60')).to.contain('there is no frame 60: the take has 60')
    expect(await wrong('page', path)).to.contain('"frame"')
    expect(await wrong('roster', path, '--set', 'path=1')).to.contain('it asks for: nothing')
    expect(await wrong('ledger', path, '--frames', '9-3')).to.contain('two numbers of frames')
    expect(await wrong('ledger', path, '--frames', '0-99')).to.contain('the take has 60')
    expect(await wrong('ledger', path, '--less-recorder')).to.contain('did not say what it costs')
  })
})
