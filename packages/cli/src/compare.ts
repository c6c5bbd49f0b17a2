/** What `compare` prints: takes before set against takes after. */
import { answerOfTakes } from '@lapsus/core/questions'
import { COMPARISON, type ComparisonAnswer } from '@lapsus/core/questions/comparison'
import { CliError } from './errors.ts'
import type { TakeFile } from './take-file.ts'
import { readParts } from './takes.ts'

/**
 * Of files, takes of the running Lapsus, and parts of either in which a trial used a variant.
 * @throws CliError for what is neither, and for what cannot be compared
 */
export async function compare(
  before: readonly string[],
  after: readonly string[],
  target: number | null,
): Promise<{ told: ComparisonAnswer; problems: string[] }> {
  const [one, other] = [await readParts(before), await readParts(after)]
  const studies = (files: TakeFile[]) =>
    files.map(({ study }) => ({ ...study, target: target ?? one[0]!.take.target }))
  const problems = [...one, ...other].flatMap(({ problem, skipped }) =>
    [problem, skipped].filter((words) => words !== null),
  )
  try {
    return { told: answerOfTakes(COMPARISON, studies(one), studies(other)), problems }
  } catch (error) {
    if (error instanceof RangeError) throw new CliError(error.message)
    throw error
  }
}
