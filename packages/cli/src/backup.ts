/** The whole database as one packed file of SQL, and back: docs/operating.md, "Back-up and restore". */
import { createReadStream, createWriteStream, existsSync, renameSync, rmSync, statSync } from 'node:fs'
import { open } from 'node:fs/promises'
import { pipeline } from 'node:stream/promises'
import { createGunzip, createGzip } from 'node:zlib'
import { plural } from '@lapsus/core/words'
import { withDatabase, type DatabaseTools } from './database-tools.ts'
import { CliError } from './errors.ts'

/** The tool's last line, and without it the file is not whole. */
const COMPLETE = '-- Dump completed'
const TABLE = /^CREATE TABLE `(\w+)`/
/** Without these it is no back-up of a Lapsus. */
const NEEDED = ['takes', 'chunks', 'migrations']

export interface Backup {
  bytes: number
  tables: number
}

/** Writes `path`, which is either whole or as it was before. @throws CliError saying what went wrong */
export const backUp = (path: string): Promise<Backup> =>
  withDatabase(async (database) => {
    const fresh = `${path}.new`
    try {
      const { child, ended } = database.run('mariadb-dump', ['--single-transaction', '--hex-blob'])
      // For its owner alone: it holds everything.
      const file = createWriteStream(fresh, { mode: 0o600 })
      await Promise.all([ended, pipeline(child.stdout!, createGzip(), file)])
      const tables = await readBack(fresh)
      const handle = await open(fresh, 'r')
      await handle.sync()
      await handle.close()
      renameSync(fresh, path)
      return { bytes: statSync(path).size, tables: tables.length }
    } catch (error) {
      rmSync(fresh, { force: true })
      throw inWords(path, error)
    }
  })

/**
 * Puts a back-up into the database.
 * @param replace takes that are there are lost
 * @throws CliError saying what went wrong; nothing is changed where the file is not whole, or takes are there
 */
export async function restore(path: string, replace: boolean): Promise<Backup> {
  if (!existsSync(path)) throw new CliError(`${path}: there is no such file`)
  const tables = await readBack(path).catch((error) => Promise.reject(inWords(path, error)))
  return withDatabase(async (database) => {
    const there = await asked(database, TABLES)
    const takes = await takesIn(database, there)
    if (takes > 0 && !replace)
      throw new CliError(
        `there ${takes === 1 ? 'is' : 'are'} ${plural(takes, 'take')} in ${database.shown}: they would be lost (--replace)`,
      )
    const { child, ended } = database.run('mariadb', [])
    child.stdout!.resume()
    // Of a later Lapsus, or another's rest: the file itself drops the tables that it has.
    const others = there.filter((table) => !tables.includes(table)).map((table) => `\`${table}\``)
    if (others.length > 0) child.stdin!.write(`SET FOREIGN_KEY_CHECKS=0;\nDROP TABLE ${others.join(', ')};\n`)
    const [fed, did] = await Promise.allSettled([
      pipeline(createReadStream(path), createGunzip(), child.stdin!),
      ended,
    ])
    // What the tool says tells more than that it takes no more.
    const failed = [did, fed].find((one) => one.status === 'rejected')
    if (failed !== undefined) throw inWords(path, failed.reason)
    return { bytes: statSync(path).size, tables: tables.length }
  })
}

/** How many takes are there; none where there is no table of them. */
async function takesIn(database: DatabaseTools, tables: readonly string[]): Promise<number> {
  return tables.includes('takes') ? Number((await asked(database, 'SELECT COUNT(*) FROM takes'))[0]) : 0
}

const TABLES = 'SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE()'

/** The first column of the answer. */
async function asked(database: DatabaseTools, query: string): Promise<string[]> {
  const { child, ended } = database.run('mariadb', ['--batch', '--skip-column-names', `--execute=${query}`])
  child.stdin!.end()
  const [text] = await Promise.all([said(child.stdout!), ended])
  return text.split('\n').filter((line) => line !== '')
}

async function said(stream: AsyncIterable<unknown>): Promise<string> {
  let text = ''
  for await (const piece of stream) text += String(piece)
  return text
}

/** Reads all of it. @returns its tables @throws where it is cut, broken or something else */
async function readBack(path: string): Promise<string[]> {
  const tables: string[] = []
  let last = ''
  await pipeline(createReadStream(path), createGunzip(), async (pieces: AsyncIterable<Buffer>) => {
    let rest = ''
    for await (const piece of pieces) {
      const lines = (rest + piece.toString('latin1')).split('\n')
      rest = lines.pop()!
      // Only the beginning of a line is looked at, and the lines of rows are long.
      if (rest.length > 100) rest = rest.slice(0, 100)
      for (const line of lines) {
        const table = TABLE.exec(line)?.[1]
        if (table !== undefined) tables.push(table)
        if (line !== '') last = line
      }
    }
    if (rest !== '') last = rest
  })
  const missing = NEEDED.filter((table) => !tables.includes(table))
  if (!last.startsWith(COMPLETE)) throw new CliError('it ends before its end')
  if (missing.length > 0) throw new CliError(`it has no table ${missing.join(', ')}`)
  return tables
}

function inWords(path: string, error: unknown): Error {
  const { code, message } = error as NodeJS.ErrnoException
  if (error instanceof CliError) return new CliError(`${path}: ${message}`)
  if (String(code).startsWith('Z_')) return new CliError(`${path}: it is no gzip file, or broken: ${message}`)
  return code === undefined ? (error as Error) : new CliError(`${path}: ${message}`)
}
