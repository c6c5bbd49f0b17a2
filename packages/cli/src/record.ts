import { spawn } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { existsSync, rmSync } from 'node:fs'
import { constants } from 'node:os'
import { basename, resolve } from 'node:path'
import { checkTake, type TakeDetail } from '@lapsus/api'
import { sourceAround } from '@lapsus/core/take'
import { plural } from '@lapsus/core/words'
import { ENV_MARK, ENV_OPTIONS, ENV_TAKE, ENV_TO, type RecordingMode } from '@lapsus/core/format'
import { amendFile, type Amendment } from './amend-file.ts'
import { CliError } from './errors.ts'
import { bringInLeft } from './left.ts'
import { readTakeFile } from './take-file.ts'
import { sourceText } from './source-files.ts'
import { request, serverAddress, withPassword } from './server.ts'

export interface RecordOptions {
  out?: string
  name?: string
  tag: string[]
  build?: string
  scene?: string
  /** Patterns of files whose functions get markers. */
  mark: string[]
  /** Name of the marked function that begins frames. */
  frame?: string
  /** Whether the lines of source around markers are kept. */
  source: boolean
  mode?: RecordingMode
  keepSeconds?: number
  tripFrame?: number
  tripMarker: Record<string, number>
  tripMoment: string[]
}

/** What the program's probe is told, as its RecordingOptions; empty to leave it to the program. */
function probeOptions({ mode, keepSeconds, tripFrame, tripMarker, tripMoment }: RecordOptions): object {
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
 * @returns the program's own exit code, in every case
 * @throws CliError where it ended well, and recorded nothing
 */
export async function record(command: string[], recordOptions: RecordOptions): Promise<number> {
  const { out, name, tag: tags, build, scene, mark, frame, source } = recordOptions
  if (frame !== undefined && mark.length === 0)
    throw new CliError('--frame names one of the functions that --mark has marked: say which files')
  const conditions = { ...(build !== undefined && { build }), ...(scene !== undefined && { scene }) }
  const around = source ? { folder: process.cwd(), untilMs: Date.now() } : null
  const options = probeOptions(recordOptions)
  const env = markingEnvironment(mark, frame, basename(process.cwd()))
  const take = randomUUID()
  if (out !== undefined && (name !== undefined || tags.length > 0))
    throw new CliError('--name and --tag are for takes of the library; a file has neither')
  if (out !== undefined)
    return recordToFile(command, { to: resolve(out), take, options, env }, { conditions, source: around })
  const address = await serverAddress()
  const code = await runProgram(command, { to: address, take, options, env })
  await bringInLeft(address, take)
  const at = `${address}/api/takes/${take}`
  const response = await fetch(at, { headers: withPassword() })
  if (response.status === 404) return nothingRecorded(command, code)
  const { frames, markers } = checkTake(await response.json()) satisfies TakeDetail
  const change = {
    ...(name !== undefined && { name }),
    ...(tags.length > 0 && { tags }),
    ...(Object.keys(conditions).length > 0 && { conditions }),
  }
  if (Object.keys(change).length > 0) await send('PATCH', at, change)
  const lines = around === null ? [] : sourceAround(markers, (file) => sourceText(around, file))
  if (lines.length > 0)
    // The take is there, and worth more than these; a Lapsus of before does not know of them.
    await send('PUT', `${at}/source`, { markers: lines }).catch((error: Error) =>
      console.error(`lapsus: the lines of source are not kept: ${error.message}`),
    )
  console.error(`recorded ${plural(frames, 'frame')}: ${address}/takes/${take}`)
  return code
}

const send = (method: string, url: string, body: object) =>
  request(url, {
    method,
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  })

/** What the program is told. */
interface Telling {
  /** Address or file. */
  to: string
  take: string
  options: object
  env: Record<string, string>
}

async function recordToFile(command: string[], telling: Telling, amendment: Amendment): Promise<number> {
  const { to: file } = telling
  rmSync(file, { force: true })
  const code = await runProgram(command, telling)
  if (!existsSync(file)) return nothingRecorded(command, code)
  await amendFile(file, amendment)
  const { study } = await readTakeFile(file)
  console.error(`recorded ${plural(study.frames.startNs.length, 'frame')}: ${file}`)
  return code
}

/** What a program that failed says itself goes before this. */
function nothingRecorded([program]: string[], code: number): number {
  const words = `"${program}" ended without recording a frame: does it make a probe and call frame()? --mark records what has none`
  if (code === 0) throw new CliError(words)
  console.error(`lapsus: ${words}`)
  return code
}

/** Has Node load what marks, before the program; nothing where nothing is to be marked. */
function markingEnvironment(
  globs: string[],
  frame: string | undefined,
  game: string,
): Record<string, string> {
  if (globs.length === 0) return {}
  const preload = new URL('./mark-preload.mjs', import.meta.url).href
  return {
    NODE_OPTIONS: `${process.env['NODE_OPTIONS'] ?? ''} --import ${preload}`.trim(),
    [ENV_MARK]: JSON.stringify({ globs, folder: process.cwd(), game, ...(frame !== undefined && { frame }) }),
  }
}

function runProgram([program, ...args]: string[], { to, take, options, env }: Telling): Promise<number> {
  return new Promise((settle, reject) => {
    const child = spawn(program!, args, {
      stdio: 'inherit',
      env: { ...process.env, ...env, [ENV_TO]: to, [ENV_TAKE]: take, [ENV_OPTIONS]: JSON.stringify(options) },
    })
    // The terminal sends Ctrl-C to the program too: it ends its take, and then this ends.
    const ignore = () => {}
    process.on('SIGINT', ignore)
    child.once('error', (error) => reject(new CliError(`cannot run "${program}": ${error.message}`)))
    child.once('exit', (code, signal) => {
      process.removeListener('SIGINT', ignore)
      // As shells say it of a program that a signal has ended.
      settle(code ?? 128 + constants.signals[signal!])
    })
  })
}
