/** The work behind a comparison, off the page's own thread: takes are read, judged alike, and set against each other. */
import type { TakeDetail } from '@lapsus/api'
import { tellComparison, type ComparisonTold } from '@lapsus/core/compare'
import type { Study } from '@lapsus/core/study'
import { joinedColumns } from '../plan/joined-columns.ts'
import { readStudy } from '../plan/read-study.ts'

export interface Compared {
  told: ComparisonTold
  /** Work of all frames on each side, ns. */
  before: Float64Array
  after: Float64Array
  tookMs: number
}

export class Comparer {
  /** @throws Error with words fit to show */
  async compare(before: TakeDetail[], after: TakeDetail[], target: number): Promise<Compared> {
    const [one, other] = [await readAll(before, target), await readAll(after, target)]
    const startMs = performance.now()
    const told = tellComparison(one, other)
    return { told, before: workOf(one), after: workOf(other), tookMs: performance.now() - startMs }
  }
}

async function readAll(details: TakeDetail[], target: number): Promise<Study[]> {
  const studies: Study[] = []
  for (const detail of details) studies.push({ ...(await readStudy(detail, () => {})), target })
  return studies
}

const workOf = (studies: Study[]) => joinedColumns(studies.map(({ frames }) => frames.workNs))
