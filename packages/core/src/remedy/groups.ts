/** What groups of markers take, against what they may. */
import { percentileInPlace } from '../stats/index.ts'
import { MAIN_LANE } from '../take/index.ts'
import type { Base } from './base.ts'
import { addRecordedSelf, type Replay } from './replay.ts'

export interface GroupFigures {
  group: string
  /** What it may take, ms a frame; null where nobody said. */
  budgetMs: number | null
  meanMs: number
  p95Ms: number
  /** Frames in which it takes more than it may; null without a budget. */
  over: number | null
}

/** Own time of the working markers of the main lane, by group; the dearest first. */
export function groupFigures(
  base: Pick<Base, 'study' | 'count'>,
  replay: Replay | null,
  budgets: Readonly<Record<string, number>>,
): GroupFigures[] {
  const { study, count } = base
  const sums = new Map<string, Float64Array>()
  for (const path of study.courses.keys()) {
    const { kind, lane, marker } = study.paths.get(path)
    if (kind !== 'work' || lane !== MAIN_LANE) continue
    const { group } = study.declarations.marker(marker)
    let column = sums.get(group)
    if (column === undefined) sums.set(group, (column = new Float64Array(count)))
    if (replay === null) addRecordedSelf(base, path, column)
    else replay.addSelf(path, column)
  }
  return [...sums]
    .map(([group, column]): GroupFigures => {
      const budgetMs = Object.hasOwn(budgets, group) ? budgets[group]! : null
      let total = 0
      let over = 0
      for (const ns of column) {
        total += ns
        if (budgetMs !== null && ns > budgetMs * 1e6) over++
      }
      return {
        group,
        budgetMs,
        meanMs: count === 0 ? 0 : total / count / 1e6,
        p95Ms: count === 0 ? 0 : percentileInPlace(column, 0.95) / 1e6,
        over: budgetMs === null ? null : over,
      }
    })
    .sort((a, b) => b.meanMs - a.meanMs)
}
