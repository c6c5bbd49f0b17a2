/** What `check` does: takes held against a budget, for a build pipeline. */
import { readFileSync, writeFileSync } from 'node:fs'
import {
  BudgetError,
  budgetFromJson,
  budgetOfTake,
  budgetToJson,
  checkJunit,
  checkReport,
  checkTakes,
  emptyBudget,
  type Checked,
} from '@lapsus/core/gate'
import { CliError } from './errors.ts'
import { readTakes } from './takes.ts'

export interface CheckOptions {
  budget?: string
  against?: string[]
  write?: string
  junit?: string
  markdown?: string
}

/**
 * Reads, checks, and writes the reports that are wanted.
 * @param names files, or takes of the running Lapsus
 * @throws CliError for what cannot be read, written or compared
 */
export async function check(
  names: readonly string[],
  options: CheckOptions,
): Promise<{ checked: Checked; skipped: string[] }> {
  const { budget: file, against = [], junit, markdown } = options
  if (file === undefined && against.length === 0)
    throw new CliError('nothing to check against: give --budget FILE, --against BASE, or both')
  const { budget, problems } = file === undefined ? { budget: emptyBudget(), problems: [] } : readBudget(file)
  const files = await readTakes(names)
  const bases = await readTakes(against)
  // A take that breaks off says less than it should: what is left of it may well keep a budget.
  const broken = [...files, ...bases].flatMap(({ problem }) => (problem === null ? [] : [problem]))
  try {
    const takes = files.map(({ study }, i) => ({ name: names[i]!, study }))
    const checked = checkTakes(
      takes,
      budget,
      bases.map(({ study }) => study),
      [...problems.map((words) => `${file}: ${words}`), ...broken],
    )
    if (junit !== undefined) write(junit, checkJunit(checked))
    if (markdown !== undefined) write(markdown, `${checkReport(checked, true)}\n`)
    return { checked, skipped: [...files, ...bases].flatMap(({ skipped }) => skipped ?? []) }
  } catch (error) {
    if (error instanceof RangeError) throw new CliError(error.message)
    throw error
  }
}

/** Makes a budget of a take that is good as it is. @returns how many limits it has */
export async function writeBudget(name: string, file: string): Promise<number> {
  const [take] = await readTakes([name])
  const budget = budgetOfTake(take!.study)
  if (budget.limits.length === 0) throw new CliError(`${name}: the take has no frames to make a budget of`)
  write(file, `${JSON.stringify(budgetToJson(budget), null, 2)}\n`)
  return budget.limits.length
}

function readBudget(file: string): ReturnType<typeof budgetFromJson> {
  let text: string
  try {
    text = readFileSync(file, 'utf8')
  } catch (error) {
    throw new CliError(`${file}: ${(error as Error).message}`)
  }
  try {
    return budgetFromJson(JSON.parse(text))
  } catch (error) {
    if (error instanceof SyntaxError) throw new CliError(`${file}: is no JSON: ${error.message}`)
    throw error instanceof BudgetError ? new CliError(`${file}: ${error.message}`) : error
  }
}

function write(file: string, text: string): void {
  try {
    writeFileSync(file, text)
  } catch (error) {
    throw new CliError(`${file}: ${(error as Error).message}`)
  }
}
