/** What `forecast --with` prints: a plan's forecast against takes recorded with the fix. */
import { existsSync } from 'node:fs'
import { proofPlace, provePlan, type ProofPlace, type ProofTold } from '@lapsus/core/compare'
import { baseOf } from '@lapsus/core/remedy'
import { studyWithoutRecorder } from '@lapsus/core/study'
import { CliError } from './errors.ts'
import { sourceOfFile, type Chosen } from './file-source.ts'
import { ofVariant, type TakeFile } from './take-file.ts'
import { readTakes } from './takes.ts'

/**
 * @param plan a file
 * @param names takes recorded with the fix, or parts of them (core/compare/proof)
 * @throws CliError for what cannot be read or compared
 */
export async function prove(
  file: TakeFile,
  plan: string,
  names: readonly string[],
  chosen: Chosen,
): Promise<{ told: ProofTold; problems: string[] }> {
  const source = sourceOfFile(file, chosen)
  const read = await source.plan(plan)
  const before = await source.study()
  const places = names.map(placeOf)
  const files = (await readTakes(places.map(({ take }) => take))).map((one, i) =>
    ofVariant(one, places[i]!.variant),
  )
  const after = files.map(({ study }) => {
    const judged = { ...study, target: before.target }
    return chosen.lessRecorder ? studyWithoutRecorder(judged) : judged
  })
  const problems = [file, ...files].flatMap(({ problem, skipped }) => [problem, skipped])
  try {
    return {
      told: provePlan(baseOf(before), read!.plan, after),
      problems: [...problems.filter((words) => words !== null), ...read!.problems],
    }
  } catch (error) {
    throw error instanceof RangeError ? new CliError(error.message) : error
  }
}

/** A file may well have a colon in its name. */
const placeOf = (name: string): ProofPlace =>
  existsSync(name) ? { take: name, variant: null } : lastColon(name)

function lastColon(name: string): ProofPlace {
  const at = name.lastIndexOf(':', name.includes('=') ? name.indexOf('=') : undefined)
  return at < 0 ? proofPlace(name) : { take: name.slice(0, at), variant: name.slice(at + 1) }
}
