/** What takes longer than others should wait for: done on a thread of its own, with a database connection of its own. */
import {
  provePlan,
  tellComparison,
  type ComparisonTold,
  type ProofPlace,
  type ProofTold,
} from '@lapsus/core/compare'
import { CompositeWriter } from '@lapsus/core/composite'
import {
  budgetOfTake,
  budgetToJson,
  checkTakes,
  type Budget,
  type Checked,
  type NamedStudy,
} from '@lapsus/core/gate'
import { devicesOf, historyOf, type Devices, type HistoryLine } from '@lapsus/core/history'
import { baseOf, type Plan } from '@lapsus/core/remedy'
import { writeReport, type ReportFormat } from '@lapsus/core/report'
import type { Study } from '@lapsus/core/study'
import { keepComposite } from '../../ingest/composite.ts'
import type { Sources } from '../answers/studies.ts'
import { historyTakes } from '../answers/take-sums.ts'
import { makeReport, type ReportAsk } from './make-report.ts'
import { named, partsOf, refusing, rowOf, type Refused } from './named-takes.ts'

/** Identities of takes that are there. */
export interface Asks {
  compare: { before: string[]; after: string[]; target: number | null }
  check: { takes: string[]; budget: Budget; against: string[]; problems: string[] }
  composite: { takes: string[]; name: string }
  budget: { take: string }
  /** Number of the game. */
  history: { game: number }
  devices: { game: number }
  report: ReportAsk & { format: ReportFormat }
  /** The take that was planned on, and where the proof is. */
  proof: { take: string; plan: Plan; proof: ProofPlace[] }
}
export interface Tells {
  compare: ComparisonTold
  check: Checked
  /** Identity of the new take. */
  composite: string
  proof: ProofTold
  /** As a budget file has it. */
  budget: object
  history: HistoryLine[]
  report: string
  devices: Devices
}
export type TaskName = keyof Asks

export const TASKS: { [N in TaskName]: (sources: Sources, ask: Asks[N]) => Promise<Tells[N] | Refused> } = {
  async compare(sources, { before, after, target }) {
    const [one, other] = [await named(sources, before), await named(sources, after)]
    const judged = target ?? one[0]!.study.target
    const studies = (takes: NamedStudy[]) => takes.map(({ study }): Study => ({ ...study, target: judged }))
    return refusing(() => tellComparison(studies(one), studies(other)))
  },

  async check(sources, { takes, budget, against, problems }) {
    const [now, before] = [await named(sources, takes), await named(sources, against)]
    const studies = before.map(({ study }) => study)
    return refusing(() => checkTakes(now, budget, studies, problems))
  },

  async proof(sources, { take, plan, proof }) {
    const [before] = await named(sources, [take])
    const parts = await partsOf(sources, proof, before!.study.target)
    if ('refused' in parts) return parts
    return refusing(() => provePlan(baseOf(before!.study), plan, parts))
  },

  history: async (sources, { game }) => historyOf(await historyTakes(sources, game)),

  devices: async (sources, { game }) => devicesOf(await historyTakes(sources, game)),

  async budget(sources, { take }) {
    const [found] = await named(sources, [take])
    const budget = budgetOfTake(found!.study)
    return budget.limits.length === 0
      ? { refused: 'the take has no frames to make a budget of' }
      : budgetToJson(budget)
  },

  async report(sources, ask) {
    const made = await makeReport(sources, ask)
    return 'refused' in made ? made : writeReport(made, ask.format)
  },

  async composite(sources, { takes, name }) {
    const layers = await named(sources, takes)
    const writer = refusing(() => new CompositeWriter(layers))
    if ('refused' in writer) return writer
    return keepComposite(sources.store, await rowOf(sources, takes[0]!), writer, name)
  },
}
