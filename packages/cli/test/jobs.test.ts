/** Long work tells how far it is, is listed, and is stopped. */
import { expect } from 'chai'
import type { JobInfo } from '@lapsus/api'
import type { RunningServer } from '../../server/src/index.ts'
import { longFile } from '../../server/test/long-file.ts'
import { getJson, testServer, until } from '../../server/test/support.ts'
import { lapsus, testFolder } from './support.ts'

const { file } = testFolder()

describe('lapsus and long work', () => {
  let server: RunningServer
  before(async () => {
    server = await testServer()
  })
  after(() => server.stop())

  it('says how far it is, lists it, and stops it', async () => {
    const env = { LAPSUS_URL: server.address }
    let told = ''
    const importing = lapsus(['import', file('long.gz', longFile(6_000_000))], env, (child) =>
      child.stderr!.on('data', (words) => (told += words)),
    )
    await until(async () => told.includes('lapsus: Import: '), 'it says how far it is')
    expect(told).to.match(/^lapsus: Import: [\d.]+ (B|kB|MB) of 6\.\d\d MB/)
    const [job] = await getJson<JobInfo[]>(server, '/api/jobs')
    const listed = await lapsus(['jobs'], env)
    expect(listed.out).to.match(new RegExp(`^${job!.id}  Import: [\\d.]+ k?M?B of 6\\.\\d\\d MB.*\n$`))
    expect(JSON.parse((await lapsus(['jobs', '--json'], env)).out)).to.have.length(1)
    expect(await lapsus(['jobs', '--stop', job!.id], env)).to.include({ code: 0 })
    const { code, err } = await importing
    expect(code).to.equal(2)
    expect(err).to.contain('the job was stopped')
    expect((await lapsus(['jobs'], env)).out).to.equal('')
    const none = await lapsus(['jobs', '--stop', job!.id], env)
    expect(none.code).to.equal(2)
    expect(none.err).to.contain('there is no job of that number under way')
  })
})
