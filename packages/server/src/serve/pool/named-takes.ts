/** Takes that a task is about, and what becomes of what cannot be done. */
import { studyOfVariant, type ProofPlace } from '@lapsus/core/compare'
import { NotSameRun } from '@lapsus/core/composite'
import type { NamedStudy } from '@lapsus/core/gate'
import type { Study } from '@lapsus/core/study'
import type { TakeRow } from '../../store/store.ts'
import { wholeTake } from '../answers/diagnoses.ts'
import type { Sources } from '../answers/studies.ts'
import { findTake, titleOf } from '../queries/takes.ts'

/** What was asked cannot be done, for a reason that whoever asked has to hear. */
export interface Refused {
  refused: string
}

export async function rowOf({ store }: Sources, id: string): Promise<TakeRow> {
  const row = await findTake(store, id)
  if (row === null) throw new Error(`take ${id} is gone`)
  return row
}

export async function named(sources: Sources, ids: readonly string[]): Promise<NamedStudy[]> {
  const found: NamedStudy[] = []
  for (const id of ids) {
    const row = await rowOf(sources, id)
    found.push({ name: titleOf(row), study: await sources.studies.part(row, wholeTake(row)) })
  }
  return found
}

export function refusing<T extends object>(work: () => T): T | Refused {
  try {
    return work()
  } catch (error) {
    if (error instanceof RangeError || error instanceof NotSameRun) return { refused: error.message }
    throw error
  }
}

/** Takes, or the frames of their trials, that prove a plan. */
export async function partsOf(
  sources: Sources,
  proof: readonly ProofPlace[],
  target: number,
): Promise<Study[] | Refused> {
  const parts: Study[] = []
  for (const { take, variant } of proof) {
    const [found] = await named(sources, [take])
    const { name, study } = found!
    const part = variant === null ? study : studyOfVariant(study, variant)
    if (part === null) return { refused: `${name} has no variant ${variant}` }
    parts.push({ ...part, target })
  }
  return parts
}
