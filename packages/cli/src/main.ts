import { createReadStream, createWriteStream, existsSync } from 'node:fs'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { checkImport } from '@lapsus/api'
import { Command, CommanderError, InvalidArgumentError } from 'commander'
import { CliError } from './errors.ts'
import { inspect, report } from './inspect.ts'
import { record } from './record.ts'
import { request, serverAddress } from './server.ts'
import { readTakeFile } from './take-file.ts'

const BAD_INPUT = 2

const program = new Command('lapsus')
  .description('Records what a game spends, frame by frame, and says where the budget slips.')
  .enablePositionalOptions()
  .exitOverride()

program
  .command('record')
  .description('run a program that uses the probe, and keep its take')
  .option('--out <file>', 'record to a file instead of the running Lapsus')
  .argument('<command...>', 'the program and its arguments, after --')
  .passThroughOptions()
  .action(async (command: string[], { out }: { out?: string }) => {
    process.exitCode = await record(command, out)
  })

program
  .command('inspect')
  .description('print the figures of a take file; needs no server')
  .argument('<file>')
  .option('--json', 'everything, as JSON')
  .option('--target <fps>', 'frames a second to judge by, instead of the take’s own', targetFps)
  .action(async (path: string, { json, target }: { json?: boolean; target?: number }) => {
    const file = await readTakeFile(path)
    const inspection = inspect(file, target ?? null)
    console.log(json ? JSON.stringify(inspection, null, 2) : report(inspection))
    if (file.problem !== null) console.error(`lapsus: ${file.problem}`)
    if (file.malformed) process.exitCode = BAD_INPUT
  })

program
  .command('import')
  .description('put a take file into the running Lapsus')
  .argument('<file>')
  .action(async (path: string) => {
    if (!existsSync(path)) throw new CliError(`${path}: there is no such file`)
    const address = await serverAddress()
    const body = Readable.toWeb(createReadStream(path)) as ReadableStream
    const init = {
      method: 'POST',
      body,
      duplex: 'half',
      headers: { 'content-type': 'application/octet-stream' },
    }
    const response = await request(`${address}/api/imports`, init as RequestInit).catch((error: Error) => {
      throw error instanceof CliError ? new CliError(`${path}: ${error.message}`) : error
    })
    const { take, frames, problem } = checkImport(await response.json())
    console.log(`${frames} frames: ${address}/takes/${take}`)
    if (problem !== null) console.error(`lapsus: ${path}: ${problem}; what came before is kept`)
  })

program
  .command('export')
  .description('write a take of the running Lapsus to a file')
  .argument('<take>', 'the take’s name in its address')
  .requiredOption('--out <file>')
  .action(async (take: string, { out }: { out: string }) => {
    const response = await request(`${await serverAddress()}/api/takes/${encodeURIComponent(take)}/file`)
    await pipeline(Readable.fromWeb(response.body as never), createWriteStream(out))
    console.log(out)
  })

function targetFps(text: string): number {
  const target = Number(text)
  if (text.trim() === '' || !(target > 0 && target <= 10_000)) {
    throw new InvalidArgumentError('expected a number above 0, at most 10000')
  }
  return target
}

try {
  await program.parseAsync()
} catch (error) {
  if (error instanceof CommanderError) process.exitCode = error.exitCode === 0 ? 0 : BAD_INPUT
  else if (error instanceof CliError) {
    console.error(`lapsus: ${error.message}`)
    process.exitCode = BAD_INPUT
  } else throw error
}
