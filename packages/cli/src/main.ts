import { createReadStream, existsSync, statSync } from 'node:fs'
import { Readable } from 'node:stream'
import {
  checkImport,
  checkLeft,
  checkStorage,
  checkVerification,
  jobWords,
  storageWords,
  verificationWords,
  type LeftFile,
} from '@lapsus/api'
import { bytes, plural } from '@lapsus/core/words'
import { EXPORT_FORMATS, type ExportFormat } from '@lapsus/core/exchange'
import { RECORDING_MODES, VERSION } from '@lapsus/core/format'
import { comparisonReport, proofReport } from '@lapsus/core/compare'
import { budgetSchema, checkReport, type Outcome } from '@lapsus/core/gate'
import { devicesReport, historyReport } from '@lapsus/core/history'
import type { ForecastAnswer } from '@lapsus/core/questions/forecast'
import { Argument, Command, CommanderError, InvalidArgumentError, Option } from 'commander'
import { ask, asJson, QUESTION_NAMES } from './ask.ts'
import { backUp, restore } from './backup.ts'
import { check, writeBudget, type CheckOptions } from './check.ts'
import { compare } from './compare.ts'
import { composite } from './composite.ts'
import { convert } from './convert.ts'
import { csvOf } from './csv.ts'
import { CliError } from './errors.ts'
import { forecastReport } from './forecast.ts'
import { devices, history, historyTakes, tried, triedReport } from './game.ts'
import { inspect, report } from './inspect.ts'
import { jobsOf, stopJob, withProgress } from './jobs.ts'
import { formatOf, openOut, STANDARD_OUTPUT } from './out.ts'
import { prove } from './prove.ts'
import { record, type RecordOptions } from './record.ts'
import { report as writeReportFile } from './report.ts'
import { request, serverAddress } from './server.ts'
import { ofVariant, readTakeFile } from './take-file.ts'

// Whoever reads what is printed may have had enough, as `head` has.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit()
  throw error
})

const BAD_INPUT = 2
const CHECKED: Record<Outcome, number> = { holds: 0, breached: 1, 'cannot-tell': 2 }

const CSV = 'one table of what --json prints, as CSV: its name'
const VARIANT = 'only the frames in which a trial used this variant'
const FRAME_MARKER = 'name of the spans that are frames, where nothing else says so'

interface ReportOptions {
  json?: boolean
  markdown?: boolean
  csv?: string
}
interface InspectOptions {
  variant?: string
  csv?: string
  json?: boolean
  target?: number
  frameMarker?: string
  lessRecorder?: boolean
}
interface AskOptions extends Omit<InspectOptions, 'json'> {
  csv?: string
  frames?: { from: number; to: number }
  set: Record<string, string>
}
interface ForecastOptions extends InspectOptions {
  plan: string
  with?: string[]
  frames?: { from: number; to: number }
}
interface CompareOptions extends ReportOptions {
  with: string[]
  target?: number
}
interface ReportFileOptions {
  out: string
  with: string[]
  plan?: string
  game?: string
  target?: number
}
interface ExportOptions {
  out: string
  format?: ExportFormat
  frameMarker?: string
}

const program = new Command('lapsus')
  .description('Records what a game spends, frame by frame, and says where the budget slips.')
  .version(VERSION, '--version')
  .enablePositionalOptions()
  .exitOverride()

program
  .command('record')
  .description('run a program that uses the probe, and keep its take')
  .option('--out <file>', 'record to a file instead of the running Lapsus')
  .option('--name <name>', 'what the take is called in the library')
  .option('--tag <tag>', 'put on the take in the library; may be given again', several, [])
  .option(
    '--mark <files>',
    'put markers around the functions of these files, as a pattern; may be given again',
    several,
    [],
  )
  .option('--frame <function>', 'the marked function whose runs begin frames, such as loop.tick')
  .option('--build <build>', 'the build that is played')
  .option('--scene <scene>', 'the scene that is played')
  .option('--no-source', 'do not keep the lines of source around markers')
  .addOption(new Option('--mode <mode>', 'how to record').choices(RECORDING_MODES))
  .option('--keep-seconds <n>', 'seconds kept before a trip, in mode keep-last', positive)
  .option('--trip-frame <ms>', 'a frame that lasts longer than this trips', positive)
  .option('--trip-marker <name=ms>', 'a run that lasts longer than this trips; may be given again', wire, {})
  .option('--trip-moment <name>', 'a moment that trips; may be given again', several, [])
  .argument('<command...>', 'the program and its arguments, after --')
  .passThroughOptions()
  .action(async (command: string[], options: RecordOptions) => {
    process.exitCode = await record(command, options)
  })

program
  .command('inspect')
  .description('print the figures of a take in any known format; needs no server')
  .argument('<file>')
  .option('--json', 'everything, as JSON')
  .option('--csv <table>', CSV)
  .option('--target <fps>', 'frames a second to judge by, instead of the take’s own', targetFps)
  .option('--frame-marker <name>', FRAME_MARKER)
  .option('--less-recorder', 'take the recorder’s estimated share out of every figure')
  .option('--variant <trial=variant>', VARIANT)
  .action(async (path: string, options: InspectOptions) => {
    const { target, frameMarker, lessRecorder, variant = null } = options
    const file = ofVariant(await readTakeFile(path, frameMarker), variant)
    const inspection = inspect(file, target ?? null, lessRecorder)
    print(inspection, options, () => report(inspection))
    for (const words of [file.problem, file.skipped]) if (words !== null) console.error(`lapsus: ${words}`)
    if (file.malformed) process.exitCode = BAD_INPUT
  })

program
  .command('ask')
  .description('answer one question about a take in any known format, as JSON; needs no server')
  .addArgument(new Argument('<question>').choices(QUESTION_NAMES))
  .argument('<file>')
  .option('--frames <from-to>', 'only these frames, both included', frameRange)
  .option('--set <name=value>', 'what the question asks, such as path=3; may be given again', setting, {})
  .option('--csv <table>', CSV)
  .option('--target <fps>', 'frames a second to judge by, instead of the take’s own', targetFps)
  .option('--frame-marker <name>', FRAME_MARKER)
  .option('--less-recorder', 'take the recorder’s estimated share out of every figure')
  .action(async (question: string, path: string, options: AskOptions) => {
    const { frames = null, set, target = null, frameMarker, lessRecorder = false } = options
    const file = await readTakeFile(path, frameMarker)
    const told = await ask(file, question, set, { frames, target, lessRecorder })
    print(told, options, () => asJson(told))
    for (const words of [file.problem, file.skipped]) if (words !== null) console.error(`lapsus: ${words}`)
    if (file.malformed) process.exitCode = BAD_INPUT
  })

program
  .command('forecast')
  .description('print what a plan would make of a take; needs no server')
  .argument('<file>')
  .requiredOption('--plan <file>', 'a plan, as the workbench writes it: JSON or Markdown (docs/plan.md)')
  .option('--with <takes...>', 'prove it: takes recorded with the fix, each TAKE or TAKE:TRIAL=VARIANT')
  .option('--json', 'everything, as JSON')
  .option('--frames <from-to>', 'only these frames, both included', frameRange)
  .option('--target <fps>', 'frames a second to judge by, instead of the take’s own', targetFps)
  .option('--frame-marker <name>', FRAME_MARKER)
  .option('--less-recorder', 'take the recorder’s estimated share out of every figure')
  .option('--variant <trial=variant>', VARIANT)
  .action(async (path: string, options: ForecastOptions) => {
    const { plan, json, frames = null, target = null, frameMarker, lessRecorder = false } = options
    const file = ofVariant(await readTakeFile(path, frameMarker), options.variant ?? null)
    if (options.with !== undefined) {
      const { told, problems } = await prove(file, plan, options.with, { frames, target, lessRecorder })
      console.log(json ? asJson(told) : proofReport(told))
      for (const words of problems) console.error(`lapsus: ${words}`)
      return
    }
    const told = (await ask(file, 'forecast', { plan }, { frames, target, lessRecorder })) as ForecastAnswer
    console.log(json ? asJson(told) : forecastReport(told))
    for (const words of [file.problem, file.skipped, ...told.problems]) {
      if (words !== null) console.error(`lapsus: ${words}`)
    }
    if (file.malformed) process.exitCode = BAD_INPUT
  })

program
  .command('compare')
  .description(
    'set takes after against takes before: what changed, how surely, at equal speed of the machine',
  )
  .argument('<before...>', 'files, or takes of the running Lapsus, each TAKE or TAKE:TRIAL=VARIANT')
  .requiredOption('--with <after...>', 'the takes after, in the same way')
  .addOption(new Option('--json', 'everything, as JSON').conflicts('markdown'))
  .option('--markdown', 'tables as Markdown')
  .option('--csv <table>', CSV)
  .option('--target <fps>', 'frames a second to judge by, instead of the first take’s own', targetFps)
  .action(async (before: string[], options: CompareOptions) => {
    const { told, problems } = await compare(before, options.with, options.target ?? null)
    print(told, options, () => comparisonReport(told, options.markdown))
    for (const words of problems) console.error(`lapsus: ${words}`)
  })

program
  .command('check')
  .description('hold takes against a budget, and against what was before: 0 holds, 1 breached, 2 cannot tell')
  .argument('[takes...]', 'files, or takes of the running Lapsus')
  .option('--budget <file>', 'limits, as JSON (docs/check.md)')
  .option('--against <base...>', 'takes before: no path may surely be worse')
  .option('--json', 'everything, as JSON')
  .option('--csv <table>', CSV)
  .option('--junit <file>', 'write JUnit XML as well')
  .option('--markdown <file>', 'write a Markdown table as well')
  .option('--write <file>', 'make a budget of the one take given, instead of checking')
  .option('--schema', 'print the JSON Schema of a budget, and end')
  .action(
    async (takes: string[], options: CheckOptions & { json?: boolean; csv?: string; schema?: boolean }) => {
      const { schema, write } = options
      if (schema) return console.log(asJson(budgetSchema()))
      if (takes.length === 0)
        throw new CliError('expected a take to check: a file, or one of the running Lapsus')
      if (write !== undefined) {
        if (takes.length > 1) throw new CliError('a budget is made of one take')
        return console.log(`${plural(await writeBudget(takes[0]!, write), 'limit')}: ${write}`)
      }
      const { checked, skipped } = await check(takes, options)
      print(checked, options, () => checkReport(checked))
      for (const words of skipped) console.error(`lapsus: ${words}`)
      process.exitCode = CHECKED[checked.outcome]
    },
  )

program
  .command('composite')
  .description('lay takes of the same run over one another: what is left is the game, without the machine')
  .argument('<takes...>', 'files, or takes of the running Lapsus; the first gives its runs and moments')
  .requiredOption('--out <file>', '- is standard output')
  .addOption(
    new Option('--format <format>', 'what to write; by the ending of the file without').choices(
      EXPORT_FORMATS,
    ),
  )
  .action(async (takes: string[], { out, format = formatOf(out) }: ExportOptions) => {
    const { frames, problems } = await composite(takes, out, format)
    if (out !== STANDARD_OUTPUT) console.log(`${plural(frames, 'frame')}: ${out}`)
    for (const words of problems) console.error(`lapsus: ${words}`)
  })

program
  .command('import')
  .description('put a take, in any known format, into the running Lapsus')
  .argument('<file>')
  .option('--frame-marker <name>', FRAME_MARKER)
  .option('--game <name>', 'the game’s name, where the file does not give it')
  .action(async (path: string, { frameMarker, game }: { frameMarker?: string; game?: string }) => {
    if (!existsSync(path)) throw new CliError(`${path}: there is no such file`)
    const address = await serverAddress()
    const query = new URLSearchParams({ ...(frameMarker && { frameMarker }), ...(game && { game }) })
    const body = Readable.toWeb(createReadStream(path)) as ReadableStream
    const { size } = statSync(path)
    // A pipe has none.
    const length = size > 0 ? { 'content-length': `${size}` } : undefined
    const response = await withProgress(address, async (job) => {
      const headers = { 'content-type': 'application/octet-stream', ...length, ...job }
      const init = { method: 'POST', body, duplex: 'half', headers }
      return request(`${address}/api/imports?${query}`, init as RequestInit)
    }).catch((error: Error) => {
      throw error instanceof CliError ? new CliError(`${path}: ${error.message}`) : error
    })
    const { others, ...first } = checkImport(await response.json())
    for (const { take, frames, problem, skipped } of [first, ...others]) {
      console.log(`${plural(frames, 'frame')}: ${address}/takes/${take}`)
      if (problem !== null) console.error(`lapsus: ${path}: ${problem}; what came before is kept`)
      if (skipped !== null) console.error(`lapsus: ${path}: ${skipped}`)
    }
  })

program
  .command('export')
  .description('write a take of the running Lapsus, or of a file, to a file of any format')
  .argument('<take>', 'the take’s name in its address, or a file')
  .requiredOption('--out <file>', '- is standard output')
  .addOption(
    new Option('--format <format>', 'what to write; by the ending of the file without').choices(
      EXPORT_FORMATS,
    ),
  )
  .option('--frame-marker <name>', FRAME_MARKER)
  .action(async (take: string, { out, format = formatOf(out), frameMarker }: ExportOptions) => {
    if (existsSync(take)) {
      const problem = await convert(take, out, format, frameMarker)
      if (problem !== null) console.error(`lapsus: ${problem}`)
    } else {
      const address = await serverAddress()
      const file = `${address}/api/takes/${encodeURIComponent(take)}/file?format=${format}`
      await withProgress(address, async (headers) => {
        const { body } = await request(file, { headers })
        const written = await openOut(out)
        for await (const piece of Readable.fromWeb(body as never)) {
          written.write(piece as Uint8Array)
          await written.room()
        }
        await written.close()
      })
    }
    if (out !== STANDARD_OUTPUT) console.log(out)
  })

program
  .command('report')
  .description('write a take, a comparison, a plan with its proof, or a history as one file to give away')
  .argument('[takes...]', 'files, or takes of the running Lapsus')
  .requiredOption('--out <file>', 'ends with .html or .md')
  .option(
    '--with <takes...>',
    'a comparison with these takes after; with --plan those that prove it',
    several,
    [],
  )
  .option('--plan <file>', 'a plan, as the workbench writes it')
  .option('--game <name>', 'the history of a game in the running Lapsus')
  .option('--target <fps>', 'frames a second to judge by, instead of the take’s own', targetFps)
  .action(async (takes: string[], options: ReportFileOptions) => {
    const { out, plan = null, game = null, target = null } = options
    const problems = await writeReportFile({ takes, with: options.with, plan, game, out, target })
    console.log(out)
    for (const words of problems) console.error(`lapsus: ${words}`)
  })

const GAME = 'the game’s name, as the library has it'

program
  .command('history')
  .description(
    'say what a game’s takes in the running Lapsus spent, version by version, and what changed for good',
  )
  .argument('<game>', GAME)
  .addOption(new Option('--json', 'everything, as JSON').conflicts('markdown'))
  .option('--markdown', 'tables as Markdown')
  .option('--csv <table>', CSV)
  .action(async (game: string, options: ReportOptions) => {
    const lines = await history(game)
    const tables = { lines, takes: historyTakes(lines), changes: lines.flatMap(({ changes }) => changes) }
    print(options.csv === undefined ? { lines } : tables, options, () =>
      historyReport(lines, options.markdown),
    )
  })

program
  .command('devices')
  .description('say which device holds which target, by a game’s takes in the running Lapsus')
  .argument('<game>', GAME)
  .addOption(new Option('--json', 'everything, as JSON').conflicts('markdown'))
  .option('--markdown', 'tables as Markdown')
  .option('--csv <table>', CSV)
  .action(async (game: string, options: ReportOptions) => {
    const found = await devices(game)
    print(found, options, () => devicesReport(found, options.markdown))
  })

program
  .command('tried')
  .description('say what was planned, tried and dropped in a game')
  .argument('<game>', GAME)
  .option('--search <words>', 'only what has all of these words', '')
  .addOption(new Option('--json', 'everything, as JSON').conflicts('markdown'))
  .option('--markdown', 'tables as Markdown')
  .option('--csv <table>', CSV)
  .action(async (game: string, options: ReportOptions & { search: string }) => {
    const found = await tried(game, options.search)
    print(found, options, () => triedReport(found, options.markdown))
  })

program
  .command('verify')
  .description(
    'read a take of the running Lapsus back: whether all is there, as it was stored and as it was sent',
  )
  .argument('<take>', 'its identity')
  .option('--json', 'as JSON')
  .action(async (take: string, { json }: { json?: boolean }) => {
    const response = await request(
      `${await serverAddress()}/api/takes/${encodeURIComponent(take)}/verification`,
    )
    const found = checkVerification(await response.json())
    console.log(
      json ? JSON.stringify(found, null, 2) : [verificationWords(found), ...found.problems].join('\n'),
    )
    if (found.problemCount > 0) process.exitCode = 1
  })

program
  .command('jobs')
  .description(
    'list imports, exports, excerpts, composites and reports that are under way, with their numbers',
  )
  .option('--stop <job>', 'stop one')
  .option('--json', 'as JSON')
  .action(async ({ stop, json }: { stop?: string; json?: boolean }) => {
    const address = await serverAddress()
    if (stop !== undefined) await stopJob(address, stop)
    const jobs = await jobsOf(address)
    if (json) console.log(JSON.stringify(jobs, null, 2))
    else
      for (const job of jobs) {
        const { what, far } = jobWords(job)
        console.log(`${job.id}  ${what}: ${far}`)
      }
  })

program
  .command('backup')
  .description('write all takes, plans and settings of the Lapsus of this folder to one file, while it runs')
  .argument('<file>', 'packed SQL, such as lapsus.sql.gz')
  .action(async (path: string) => {
    const { tables, bytes: size } = await backUp(path)
    console.log(`${path}: ${plural(tables, 'table')}, ${bytes(size)}, read back`)
  })

program
  .command('restore')
  .description('put what backup wrote into the Lapsus of this folder, which then has to be started again')
  .argument('<file>')
  .option('--replace', 'also where there are takes; they are lost')
  .action(async (path: string, { replace = false }: { replace?: boolean }) => {
    const { tables } = await restore(path, replace)
    console.log(`${plural(tables, 'table')} restored: end Lapsus, and start it again`)
  })

program
  .command('left')
  .description('list what games have left and the running Lapsus has not taken up, with the reason')
  .option('--bring <file>', 'store one, whatever its key')
  .option('--drop <file>', 'throw one away')
  .option('--json', 'as JSON')
  .action(async ({ bring, drop, json }: { bring?: string; drop?: string; json?: boolean }) => {
    const address = `${await serverAddress()}/api/left`
    for (const [file, method] of [
      [bring, 'POST'],
      [drop, 'DELETE'],
    ] as const)
      if (file !== undefined) await request(`${address}/${encodeURIComponent(file)}`, { method })
    const left = checkLeft(await (await request(address)).json())
    const line = ({ file, game, bytes: size, reason }: LeftFile) =>
      `${file}  ${game ?? 'no take'}, ${bytes(size)}: ${reason}`
    console.log(json ? JSON.stringify(left, null, 2) : left.map(line).join('\n') || 'Nothing is left.')
  })

program
  .command('storage')
  .description('say what the takes of the running Lapsus use, and which leave by themselves')
  .option('--json', 'as JSON')
  .action(async ({ json }: { json?: boolean }) => {
    const response = await request(`${await serverAddress()}/api/storage`)
    const report = checkStorage(await response.json())
    console.log(json ? JSON.stringify(report, null, 2) : storageWords(report).join('\n') || 'No takes.')
  })

/** What a command found: as JSON, as one of its tables, or in words. */
function print(told: object, { json, csv }: Pick<ReportOptions, 'json' | 'csv'>, words: () => string): void {
  if (csv !== undefined) process.stdout.write(csvOf(told, csv))
  else console.log(json ? asJson(told) : words())
}

function frameRange(text: string): { from: number; to: number } {
  const [from, to] = /^(\d+)-(\d+)$/.exec(text)?.slice(1).map(Number) ?? []
  if (from === undefined || to === undefined || to < from)
    throw new InvalidArgumentError('expected two numbers of frames, such as 0-99')
  return { from, to }
}

function setting(text: string, known: Record<string, string>): Record<string, string> {
  const at = text.indexOf('=')
  if (at < 1) throw new InvalidArgumentError('expected a name, "=", and a value')
  return { ...known, [text.slice(0, at)]: text.slice(at + 1) }
}

function positive(text: string): number {
  const value = Number(text)
  if (text.trim() === '' || !(value > 0)) throw new InvalidArgumentError('expected a number above 0')
  return value
}

function wire(text: string, known: Record<string, number>): Record<string, number> {
  const at = text.lastIndexOf('=')
  if (at < 1) throw new InvalidArgumentError('expected a marker’s name, "=", and ms')
  return { ...known, [text.slice(0, at)]: positive(text.slice(at + 1)) }
}

function several(text: string, known: string[]): string[] {
  return [...known, text]
}

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
