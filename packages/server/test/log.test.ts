import { expect } from 'chai'
import { spawnSync } from 'node:child_process'
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import type { Logger } from 'pino'
import { createLog, MOST_LINE_BYTES } from '../src/log.ts'
import { until } from './support.ts'

const MB = 2 ** 20

describe('the log', () => {
  const folder = mkdtempSync(join(tmpdir(), 'lapsus-log-'))
  after(() => rmSync(folder, { recursive: true, force: true }))
  /** A log has its file for as long as the process lives: here none may be swept away earlier. */
  const logs: Logger[] = []
  const logTo = (file: string): Logger => {
    const log = createLog('info', file)
    logs.push(log)
    return log
  }
  const linesOf = (file: string) =>
    existsSync(file) ? readFileSync(file, 'utf8').trim().split('\n').filter(Boolean) : []

  it('has lines of at most 4 kB, each JSON, whatever is logged', async () => {
    const file = join(folder, 'lines.log')
    const log = logTo(file)
    log.info({ contents: 'x'.repeat(5 * MB) }, 'large')
    log.info({ text: '💥'.repeat(MOST_LINE_BYTES / 4) }, 'wide')
    log.error(new Error(`Data too long\nsql: INSERT INTO takes VALUES ('${'y'.repeat(MB)}')`), 'failed')
    log.info('short')
    await until(() => linesOf(file).length === 4, 'all are written')
    for (const line of linesOf(file)) {
      expect(Buffer.byteLength(line)).to.be.at.most(MOST_LINE_BYTES)
      expect(JSON.parse(line)).to.have.property('msg')
      expect(line).not.to.contain('INSERT').and.not.to.contain('yyyy')
    }
  })

  it('has every line once it is flushed, though the process ends at once', () => {
    const file = join(folder, 'flushed.log')
    const lines = 300
    const module = pathToFileURL(join(import.meta.dirname, '../src/log.ts')).href
    const script = `import { createLog } from ${JSON.stringify(module)}
      const log = createLog('info', ${JSON.stringify(file)})
      for (let i = 1; i < ${lines}; i++) log.info('one of many')
      log.fatal('the last')
      log.flush(() => process.exit(0))`
    const { status, stderr } = spawnSync(
      process.execPath,
      ['--import', 'tsx', '--input-type=module', '-e', script],
      { encoding: 'utf8' },
    )
    expect([status, stderr]).to.deep.equal([0, ''])
    expect(linesOf(file)).to.have.length(lines)
    expect(linesOf(file).at(-1)).to.contain('the last')
  })

  it('is flushed at once where nothing is to be written', async () => {
    const log = logTo(join(folder, 'nothing.log'))
    await new Promise<void>((resolve) => log.flush(() => resolve()))
    const nowhere = logTo(join(folder, 'no such folder', 'server.log'))
    nowhere.info('lost')
    await new Promise<void>((resolve) => nowhere.flush(() => resolve()))
  })

  it('is turned over by size, and keeps at most 50 MB in all', async () => {
    const inside = join(folder, 'turned')
    mkdirSync(inside)
    const log = logTo(join(inside, 'server.log'))
    const words = 'w'.repeat(3_000)
    for (let i = 0; i < 24_000; i++) {
      log.info({ i, words }, 'again')
      // The file is written while the loop rests.
      if (i % 500 === 0) await new Promise((resolve) => setTimeout(resolve, 5))
    }
    const files = () => readdirSync(inside).map((name) => join(inside, name))
    const last = () => linesOf(join(inside, 'server.log')).at(-1) ?? ''
    await until(() => last().includes('"i":23999'), 'everything is written')
    const bytes = files().reduce((sum, file) => sum + statSync(file).size, 0)
    expect(bytes)
      .to.be.below(50 * MB)
      .and.above(30 * MB)
    expect(files().length).to.be.at.least(5)
  })

  it('goes on, and says how much is missing, after it could not be written', async () => {
    const inside = join(folder, 'gone')
    const log = logTo(join(inside, 'server.log'))
    log.info('nowhere')
    log.info('nowhere')
    mkdirSync(inside)
    await until(() => {
      log.info('here')
      return linesOf(join(inside, 'server.log')).length > 1
    }, 'it is written again')
    const [first, second] = linesOf(join(inside, 'server.log'))
    expect(first).to.match(/"\d+ lines are lost"|\d+ lines are lost/)
    expect(second).to.contain('here')
    renameSync(inside, `${inside}-again`)
  })
})
