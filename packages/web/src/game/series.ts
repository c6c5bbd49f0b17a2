/** What a history's picture shows: a figure of whole frames, a group of markers, or a path. */
import {
  FIGURES,
  type Change,
  type FigureName,
  type HistoryGroup,
  type HistoryLine,
  type HistoryPath,
} from '@lapsus/core/history'

export interface Series {
  /** How it is called in a list, and in short. */
  words: string
  short: string
  /** What its values are figures of. */
  about: string
  unit: Change['unit']
  /** As many as the line has takes. */
  values: (number | null)[]
  changes: Change[]
  /** Where the budget lies on its scale; null where it has none. */
  budget: number | null
}

export const figureKey = (name: FigureName): string => `figure ${name}`
export const pathKey = ({ path, lane }: Pick<HistoryPath, 'path' | 'lane'>): string =>
  `path ${JSON.stringify([lane, ...path])}`

export const groupKey = ({ group }: Pick<HistoryGroup, 'group'>): string => `group ${group}`

/** @param key of a figure, a group or a path; the mean work where there is none of it */
export function seriesOf(line: HistoryLine, key: string): Series {
  const path = line.paths.find((one) => pathKey(one) === key)
  if (path !== undefined) {
    return {
      words: path.path.join(' › '),
      short: path.path.at(-1)!,
      about: `own time a frame at equal speed of the machine, on ${path.lane}`,
      unit: 'ms',
      values: path.ms,
      changes: line.changes.filter(
        ({ of, name, lane }) => of === 'path' && pathKey({ path: name, lane }) === key,
      ),
      budget: null,
    }
  }
  const group = line.groups.find((one) => groupKey(one) === key)
  if (group !== undefined) {
    const name = group.group || 'no group'
    return {
      ...{ words: `group ${name}`, short: name, unit: 'ms', values: group.ms, changes: [] },
      about: 'own time of its markers a frame, at equal speed of the machine, on main',
      budget: group.budgetMs,
    }
  }
  const { name, values } = line.figures.find((one) => figureKey(one.name) === key) ?? line.figures[0]!
  const { unit, words } = FIGURES[name]
  return {
    ...{ words, short: words, unit, values },
    about: unit === 'ms' ? 'as recorded; a change is told at equal speed of the machine' : 'as recorded',
    changes: line.changes.filter(({ of, name: [changed] }) => of === 'frames' && changed === name),
    budget: unit === 'ms' ? 1000 / line.target : null,
  }
}
