/** What `report` writes: a take, a comparison, a plan with its proof, or a history, as one file to give away. */
import { writeFileSync } from 'node:fs'
import { basename } from 'node:path'
import { provePlanSides } from './prove.ts'
import {
  reportOfComparison,
  reportOfHistory,
  reportOfPlan,
  REPORT_FORMATS,
  reportOfTake,
  writeReport,
  type Report,
  type ReportFormat,
  type TakeTitle,
} from '@lapsus/core/report'
import { baseOf } from '@lapsus/core/remedy'
import { CliError } from './errors.ts'
import { sourceOfFile } from './file-source.ts'
import { history } from './game.ts'
import type { TakeFile } from './take-file.ts'
import { withTakes } from './takes.ts'

export interface ReportRequest {
  /** A file, or a take of the running Lapsus; of a comparison several. */
  takes: readonly string[]
  /** Takes after; with a plan those that prove it. */
  with: readonly string[]
  plan: string | null
  /** Of a history. */
  game: string | null
  out: string
  target: number | null
}

/** @returns what was wrong with the takes, in words @throws CliError for what cannot be read, compared or written */
export async function report(request: ReportRequest): Promise<string[]> {
  const format = formatOf(request.out)
  const problems: string[] = []
  const write = (made: Report) => save(request.out, writeReport(made, format))
  const { takes, with: after, plan, game, target } = request
  if (game !== null) {
    write(reportOfHistory(game, await history(game)))
    return problems
  }
  if (takes.length === 0) throw new CliError('expected a take to report, or --game GAME')
  await withTakes([...takes, ...(plan === null ? after : [])], async (files) => {
    problems.push(
      ...files.flatMap(({ problem, skipped }) => [problem, skipped].filter((words) => words !== null)),
    )
    const before = files.slice(0, takes.length)
    const titled = (some: TakeFile[]) =>
      some.map((file) => ({
        title: titleOf(file, request.takes),
        study: { ...file.study, target: target ?? before[0]!.take.target },
      }))
    if (plan !== null) {
      const { source, read, parts } = await provePlanSides(before[0]!, plan, after, {
        frames: null,
        target,
        lessRecorder: false,
      })
      problems.push(...read.problems)
      write(comparable(() => reportOfPlan(baseOf(source), read.plan, titleOf(before[0]!, takes), parts)))
    } else if (after.length > 0) {
      write(comparable(() => reportOfComparison(titled(before), titled(files.slice(takes.length)))))
    } else {
      if (before.length > 1) throw new CliError('a report is about one take; compare several with --with')
      const source = sourceOfFile(before[0]!, { frames: null, target, lessRecorder: false })
      write(await reportOfTake(source, titleOf(before[0]!, takes)))
    }
  })
  return problems
}

function formatOf(out: string): ReportFormat {
  const found = REPORT_FORMATS.find((format) => out.toLowerCase().endsWith(`.${format}`))
  if (found === undefined)
    throw new CliError(
      `${out}: expected a name that ends with ${REPORT_FORMATS.map((format) => `.${format}`).join(' or ')}`,
    )
  return found
}

/** A file is known by its name. */
function titleOf({ path, take }: TakeFile, asked: readonly string[]): TakeTitle {
  const name = asked.includes(path) ? basename(path).replace(/\.[^.]*$/, '') : ''
  return { game: take.game, started: take.started, name }
}

function comparable(make: () => Report): Report {
  try {
    return make()
  } catch (error) {
    throw error instanceof RangeError ? new CliError(error.message) : error
  }
}

function save(file: string, text: string): void {
  try {
    writeFileSync(file, text)
  } catch (error) {
    throw new CliError(`${file}: ${(error as Error).message}`)
  }
}
