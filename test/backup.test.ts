/** Back-up and restore as docs/operating.md shows them. */
import { expect } from 'chai'
import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { TakeSummary } from '@lapsus/api'
import { encodeRecord } from '@lapsus/core/format'
import { nightRecords } from '../packages/core/test/support/night.ts'
import { richTake } from '../packages/core/test/support/rich-take.ts'
import type { RunningServer } from '../packages/server/src/index.ts'
import { getJson, testServer } from '../packages/server/test/support.ts'
import { startDatabase, type Database } from '../scripts/setup/database.mjs'
import { ROOT } from './support/npm-start.ts'

describe('back-up and restore', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-backup-'))
  const databases: Database[] = []
  const commands = [
    ...readFileSync(join(ROOT, 'docs/operating.md'), 'utf8').matchAll(/```sh\n(.*?)```/gs),
  ].map(([, command]) => command!)
  after(async () => {
    for (const database of databases) await database.stop()
    rmSync(folder, { recursive: true, force: true })
  })

  async function startIn(state: string): Promise<RunningServer> {
    const database = await startDatabase(join(folder, state, 'mariadb'))
    databases.push(database)
    return testServer({ databaseUrl: database.url })
  }

  /** Runs a command of the page, with the state folder in place of the usual one. */
  function run(command: string, state: string): void {
    const text = command.replace('.lapsus/', `${join(folder, state)}/`)
    const result = spawnSync('sh', ['-c', text], { cwd: folder, encoding: 'utf8' })
    expect(result.stderr).to.equal('')
    expect(result.status).to.equal(0)
  }

  /** Everything that is to be read of every take. */
  async function all(server: RunningServer): Promise<Record<string, unknown>> {
    const takes = await getJson<TakeSummary[]>(server, '/api/takes')
    const found: Record<string, unknown> = { takes }
    for (const { id } of takes) {
      for (const format of ['lapsus', 'jsonl', 'csv']) {
        const file = await fetch(`${server.address}/api/takes/${id}/file?format=${format}`)
        found[`${id} ${format}`] = Buffer.from(await file.arrayBuffer()).toString('base64')
      }
      found[`${id} detail`] = await getJson(server, `/api/takes/${id}`)
      found[`${id} plans`] = await getJson(server, `/api/takes/${id}/plans`)
      found[`${id} ledger`] = await getJson(server, `/api/takes/${id}/ledger?from=0&to=1&by=path`)
    }
    return found
  }

  it('into an empty instance gives back every take as it was', async () => {
    expect(commands).to.have.length(2)
    const server = await startIn('here')
    for (const records of [richTake(), nightRecords('a-night-of-moths')]) {
      const body = Buffer.concat(records.map(encodeRecord))
      const answer = await fetch(`${server.address}/api/imports`, { method: 'POST', body: body as BodyInit })
      expect(answer.status, await answer.text()).to.equal(201)
    }
    const tagged = await fetch(`${server.address}/api/takes/test-take-1`, {
      method: 'PATCH',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name: 'Nächte', note: "it's \\ “kept”\n", tags: ['kept'] }),
    })
    expect(tagged.status).to.equal(200)
    run(commands[0]!, 'here')
    const before = await all(server)
    await server.stop()

    const empty = await startIn('there')
    expect(await getJson(empty, '/api/takes')).to.deep.equal([])
    run(commands[1]!, 'there')
    await empty.stop()
    const restored = await testServer({ databaseUrl: databases.at(-1)!.url })
    const after = await all(restored)
    await restored.stop()
    expect(Object.keys(after)).to.have.length(1 + 2 * 6)
    expect(after).to.deep.equal(before)
  })
})
