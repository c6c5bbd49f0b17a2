import { spawn } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { existsSync, rmSync } from 'node:fs'
import { resolve } from 'node:path'
import { checkTake, type TakeDetail } from '@lapsus/api'
import { ENV_TAKE, ENV_TO } from '@lapsus/core/format'
import { CliError } from './errors.ts'
import { readTakeFile } from './take-file.ts'
import { serverAddress } from './server.ts'

/**
 * Runs a program with the probe told where to record.
 * @param out file to record to; without it, the running Lapsus
 * @returns the program's own exit code
 */
export async function record(command: string[], out: string | undefined): Promise<number> {
  const take = randomUUID()
  if (out !== undefined) return recordToFile(command, resolve(out), take)
  const address = await serverAddress()
  const code = await runProgram(command, address.replace(/^http/, 'ws'), take)
  const response = await fetch(`${address}/api/takes/${take}`)
  if (response.status === 404) throw new CliError(nothingRecorded(command))
  const { frames } = checkTake(await response.json()) satisfies TakeDetail
  console.error(`recorded ${frames} frames: ${address}/takes/${take}`)
  return code
}

async function recordToFile(command: string[], file: string, take: string): Promise<number> {
  rmSync(file, { force: true })
  const code = await runProgram(command, file, take)
  if (!existsSync(file)) throw new CliError(nothingRecorded(command))
  const { frames } = await readTakeFile(file)
  console.error(`recorded ${frames.startNs.length} frames: ${file}`)
  return code
}

const nothingRecorded = ([program]: string[]) =>
  `"${program}" ended without recording a frame: does it make a probe and call frame()?`

function runProgram([program, ...args]: string[], to: string, take: string): Promise<number> {
  return new Promise((settle, reject) => {
    const child = spawn(program!, args, {
      stdio: 'inherit',
      env: { ...process.env, [ENV_TO]: to, [ENV_TAKE]: take },
    })
    // The terminal sends Ctrl-C to the program too: it ends its take, and then this ends.
    const ignore = () => {}
    process.on('SIGINT', ignore)
    child.once('error', (error) => reject(new CliError(`cannot run "${program}": ${error.message}`)))
    child.once('exit', (code) => {
      process.removeListener('SIGINT', ignore)
      settle(code ?? 1)
    })
  })
}
