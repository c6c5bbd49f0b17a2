/** Reports of what is stored. */
import type { ProofPlace } from '@lapsus/core/compare'
import { historyOf } from '@lapsus/core/history'
import { baseOf, type Plan } from '@lapsus/core/remedy'
import {
  reportOfComparison,
  reportOfHistory,
  reportOfPlan,
  reportOfTake,
  type Report,
  type TakeTitle,
} from '@lapsus/core/report'
import type { Study } from '@lapsus/core/study'
import type { TakeRow } from '../../store/store.ts'
import type { JobProgress } from '../../threads/job-progress.ts'
import { wholeTake } from '../answers/diagnoses.ts'
import { sourceOf } from '../answers/stored-source.ts'
import type { Sources } from '../answers/studies.ts'
import { historyTakes } from '../answers/take-sums.ts'
import { startedOf } from '../queries/takes.ts'
import { partsOf, refusing, rowOf } from './named-takes.ts'

export type ReportAsk =
  | { of: 'take'; take: string }
  | { of: 'comparison'; before: string[]; after: string[] }
  | { of: 'plan'; take: string; plan: Plan; proof: ProofPlace[] }
  | { of: 'history'; game: number; name: string }

/** @throws ProblemError between one take and the next where the job was stopped */
export async function makeReport(sources: Sources, ask: ReportAsk, progress: JobProgress): Promise<Report> {
  switch (ask.of) {
    case 'take': {
      const row = await rowOf(sources, ask.take)
      const source = await sourceOf(sources, row, wholeTake(row))
      progress.did({ frames: Number(row.frames) })
      return reportOfTake(source, await titleFor(sources, row))
    }
    case 'comparison': {
      const before = await titled(sources, ask.before, progress)
      const after = await titled(sources, ask.after, progress)
      const { target } = before[0]!.study
      const judged = after.map((one) => ({ ...one, study: { ...one.study, target } }))
      return refusing(() => reportOfComparison(before, judged))
    }
    case 'plan': {
      const [before] = await titled(sources, [ask.take], progress)
      const { study, title } = before!
      const parts = await partsOf(sources, ask.proof, study.target)
      return refusing(() => reportOfPlan(baseOf(study), ask.plan, title, parts))
    }
    case 'history':
      return reportOfHistory(ask.name, historyOf(await historyTakes(sources, ask.game)))
  }
}

async function titled(
  sources: Sources,
  ids: readonly string[],
  progress: JobProgress,
): Promise<{ title: TakeTitle; study: Study }[]> {
  const found: { title: TakeTitle; study: Study }[] = []
  for (const id of ids) {
    const row = await rowOf(sources, id)
    found.push({
      title: await titleFor(sources, row),
      study: await sources.studies.part(row, wholeTake(row)),
    })
    progress.did({ frames: Number(row.frames) })
  }
  return found
}

async function titleFor({ store }: Sources, row: TakeRow): Promise<TakeTitle> {
  const game = await store.games.findByPk(row.gameId, { raw: true })
  return { game: game!.name, name: row.name, started: startedOf(row).toISOString() }
}
