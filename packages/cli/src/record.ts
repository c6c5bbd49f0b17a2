import { spawn } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { existsSync, rmSync } from 'node:fs'
import { resolve } from 'node:path'
import { checkTake, type TakeDetail } from '@lapsus/api'
import { plural } from '@lapsus/core/words'
import { ENV_OPTIONS, ENV_TAKE, ENV_TO, type RecordingMode } from '@lapsus/core/format'
import { CliError } from './errors.ts'
import { readTakeFile } from './take-file.ts'
import { serverAddress, withPassword } from './server.ts'

export interface RecordOptions {
  out?: string
  mode?: RecordingMode
  keepSeconds?: number
  tripFrame?: number
  tripMarker: Record<string, number>
  tripMoment: string[]
}

/** What the program's probe is told, as its RecordingOptions; empty to leave it to the program. */
export function probeOptions({
  mode,
  keepSeconds,
  tripFrame,
  tripMarker,
  tripMoment,
}: RecordOptions): object {
  const tripwires = {
    ...(tripFrame !== undefined && { frameMs: tripFrame }),
    ...(Object.keys(tripMarker).length > 0 && { markers: tripMarker }),
    ...(tripMoment.length > 0 && { moments: tripMoment }),
  }
  const hasWires = Object.keys(tripwires).length > 0
  return {
    // A tripwire means that only what trips it is wanted.
    ...((mode !== undefined || hasWires) && { mode: mode ?? 'keep-last' }),
    ...(keepSeconds !== undefined && { keepSeconds }),
    ...(hasWires && { tripwires }),
  }
}

/**
 * Runs a program with the probe told where to record.
 * @param out file to record to; without it, the running Lapsus
 * @param options for its probe
 * @returns the program's own exit code
 */
export async function record(command: string[], out: string | undefined, options: object): Promise<number> {
  const take = randomUUID()
  if (out !== undefined) return recordToFile(command, resolve(out), take, options)
  const address = await serverAddress()
  const code = await runProgram(command, address.replace(/^http/, 'ws'), take, options)
  const response = await fetch(`${address}/api/takes/${take}`, { headers: withPassword() })
  if (response.status === 404) throw new CliError(nothingRecorded(command))
  const { frames } = checkTake(await response.json()) satisfies TakeDetail
  console.error(`recorded ${plural(frames, 'frame')}: ${address}/takes/${take}`)
  return code
}

async function recordToFile(command: string[], file: string, take: string, options: object): Promise<number> {
  rmSync(file, { force: true })
  const code = await runProgram(command, file, take, options)
  if (!existsSync(file)) throw new CliError(nothingRecorded(command))
  const { study } = await readTakeFile(file)
  console.error(`recorded ${plural(study.frames.startNs.length, 'frame')}: ${file}`)
  return code
}

const nothingRecorded = ([program]: string[]) =>
  `"${program}" ended without recording a frame: does it make a probe and call frame()?`

function runProgram(
  [program, ...args]: string[],
  to: string,
  take: string,
  options: object,
): Promise<number> {
  return new Promise((settle, reject) => {
    const child = spawn(program!, args, {
      stdio: 'inherit',
      env: { ...process.env, [ENV_TO]: to, [ENV_TAKE]: take, [ENV_OPTIONS]: JSON.stringify(options) },
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
