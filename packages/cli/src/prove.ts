/** What `forecast --with` prints: a plan's forecast against takes recorded with the fix. */
import { provePlan, type ProofTold } from '@lapsus/core/compare'
import { baseOf, type ReadPlan } from '@lapsus/core/remedy'
import { studyWithoutRecorder, type Study } from '@lapsus/core/study'
import { CliError } from './errors.ts'
import { sourceOfFile, type Chosen } from './file-source.ts'
import type { TakeFile } from './take-file.ts'
import { readParts } from './takes.ts'

/** What a proof is made of: the frames that were planned on, the plan, and the frames recorded with it. */
export interface ProofSides {
  source: Study
  read: ReadPlan
  parts: Study[]
  /** What was wrong with the takes, in words. */
  problems: string[]
}

/**
 * @param plan a file
 * @param names takes recorded with the fix, or parts of them (core/compare/proof)
 * @throws CliError for what cannot be read
 */
export async function provePlanSides(
  file: TakeFile,
  plan: string,
  names: readonly string[],
  chosen: Chosen,
): Promise<ProofSides> {
  const source = sourceOfFile(file, chosen)
  const read = (await source.plan(plan))!
  const before = await source.study()
  const files = await readParts(names)
  const parts = files.map(({ study }) => {
    const judged = { ...study, target: before.target }
    return chosen.lessRecorder ? studyWithoutRecorder(judged) : judged
  })
  const problems = [file, ...files].flatMap(({ problem, skipped }) => [problem, skipped])
  return { source: before, read, parts, problems: problems.filter((words) => words !== null) }
}

/** @throws CliError for what cannot be read or compared */
export async function prove(
  ...sides: Parameters<typeof provePlanSides>
): Promise<{ told: ProofTold; problems: string[] }> {
  const { source, read, parts, problems } = await provePlanSides(...sides)
  try {
    return { told: provePlan(baseOf(source), read.plan, parts), problems: [...problems, ...read.problems] }
  } catch (error) {
    throw error instanceof RangeError ? new CliError(error.message) : error
  }
}
