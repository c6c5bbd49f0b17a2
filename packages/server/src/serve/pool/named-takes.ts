/** Takes that a task is about, and what becomes of what cannot be done. */
import { studyOfVariant, type ProofPlace } from '@lapsus/core/compare'
import { NotSameRun } from '@lapsus/core/composite'
import type { NamedStudy } from '@lapsus/core/gate'
import type { Study } from '@lapsus/core/study'
import { ProblemError } from '../../problem-error.ts'
import type { TakeRow } from '../../store/store.ts'
import { wholeTake } from '../answers/diagnoses.ts'
import type { Sources } from '../answers/studies.ts'
import { findTake, titleOf } from '../queries/takes.ts'
import { JobProgress } from '../../threads/job-progress.ts'

/** What was asked cannot be done, for a reason that whoever asked has to hear. */
export const refused = (reason: string) => new ProblemError(422, reason)

export async function rowOf({ store }: Sources, id: string): Promise<TakeRow> {
  const row = await findTake(store, id)
  if (row === null) throw new ProblemError(404, `take ${id} is gone`, 'take')
  return row
}

/** @param progress of the job, if it is one, which may be stopped between one take and the next */
export async function named(
  sources: Sources,
  ids: readonly string[],
  progress = new JobProgress(),
): Promise<NamedStudy[]> {
  const found: NamedStudy[] = []
  for (const id of ids) {
    const row = await rowOf(sources, id)
    found.push({ name: titleOf(row), study: await sources.studies.part(row, wholeTake(row)) })
    progress.check()
  }
  return found
}

export function refusing<T>(work: () => T): T {
  try {
    return work()
  } catch (error) {
    if (error instanceof RangeError || error instanceof NotSameRun) throw refused(error.message)
    throw error
  }
}

/** Takes, or the frames of their trials, that prove a plan. */
export async function partsOf(
  sources: Sources,
  proof: readonly ProofPlace[],
  target: number,
): Promise<Study[]> {
  const parts: Study[] = []
  for (const { take, variant } of proof) {
    const [found] = await named(sources, [take])
    const { name, study } = found!
    const part = variant === null ? study : studyOfVariant(study, variant)
    if (part === null) throw refused(`${name} has no variant ${variant}`)
    parts.push({ ...part, target })
  }
  return parts
}
