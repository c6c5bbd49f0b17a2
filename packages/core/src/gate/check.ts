/** Takes held against a budget, and against what was before. */
import { tellComparison, type ComparisonTold, type PathRow } from '../compare/index.ts'
import { findAll, gatherEvidence, instancesOf, isFolded, type Finding } from '../detect/index.ts'
import { BYTES_UNKNOWN } from '../format/index.ts'
import { laneKey, type LedgerRow } from '../rollup/index.ts'
import { sum } from '../stats/index.ts'
import { budgetNsOf, frameCount, ledgerOfFrames, pathNames, type Study } from '../study/index.ts'
import { frameFigures, MAIN_LANE, type FrameFigures } from '../take/index.ts'
import { LIMITED, type Budget, type Limit, type LimitOf } from './budget-file.ts'

export const OUTCOMES = ['holds', 'breached', 'cannot-tell'] as const
export type Outcome = (typeof OUTCOMES)[number]

export interface CheckRow {
  take: string
  of: LimitOf | 'before'
  /** As in the budget. */
  name: string[]
  figure: string
  most: number
  /** Null where it cannot be told. */
  value: number | null
  outcome: Outcome
  /** Why it cannot be told; of a path that is worse, by how much. Empty otherwise. */
  words: string
}

export interface Checked {
  outcome: Outcome
  rows: CheckRow[]
  problems: string[]
}

export interface NamedStudy {
  name: string
  study: Study
}

/**
 * @param before takes that they must not be worse than; empty for none
 * @param problems what could not be read of the budget: with any, what is not breached cannot be told
 * @throws RangeError where takes before and now cannot be compared
 */
export function checkTakes(
  takes: readonly NamedStudy[],
  budget: Budget,
  before: readonly Study[] = [],
  problems: readonly string[] = [],
): Checked {
  const judged = takes.map(({ name, study }) => ({
    name,
    study: { ...study, target: budget.target ?? study.target },
  }))
  const rows = judged.flatMap(({ name, study }) => checkLimits(name, study, budget.limits))
  if (before.length > 0) {
    const told = tellComparison(
      before.map((study) => ({ ...study, target: judged[0]!.study.target })),
      judged.map(({ study }) => study),
    )
    rows.push(...worseRows(judged.map(({ name }) => name).join(', '), told, budget.worseByMs))
  }
  const has = (outcome: Outcome) => rows.some((row) => row.outcome === outcome)
  const unsure = has('cannot-tell') || problems.length > 0 || rows.length === 0
  return {
    outcome: has('breached') ? 'breached' : unsure ? 'cannot-tell' : 'holds',
    rows,
    problems:
      rows.length === 0 ? [...problems, 'nothing was checked: the budget has no limits'] : [...problems],
  }
}

function checkLimits(take: string, study: Study, limits: readonly Limit[]): CheckRow[] {
  const figures = new Figures(study)
  return limits.map(({ of, name, lane, figure, most }) => {
    const told = figures.of({ of, name, lane, figure, most })
    const about = { take, of, name, figure, most }
    return typeof told === 'string'
      ? { ...about, value: null, outcome: 'cannot-tell', words: told }
      : { ...about, value: told, outcome: told <= most ? 'holds' : 'breached', words: '' }
  })
}

/** The figures that limits are set on, each worked out when it is first asked for. */
export class Figures {
  readonly #study: Study
  readonly #count: number
  #frames: FrameFigures | null = null
  #findings: Finding[] | null = null
  readonly #ledgers = new Map<'path' | 'group', Map<string, LedgerRow>>()

  constructor(study: Study) {
    this.#study = study
    this.#count = frameCount(study)
  }

  /** @returns the figure, or in words why there is none */
  of({ of, name, lane, figure }: Limit): number | string {
    if (this.#count === 0) return 'the take has no frames'
    if (of === 'frames') return this.#ofFrames(figure as keyof typeof LIMITED.frames)
    if (of === 'classes') return this.#ofClass(name[0]!)
    if (of === 'findings') return this.#ofFindings(name[0]!)
    const by = of === 'paths' ? 'path' : 'group'
    const laneName = lane ?? this.mainLane
    const row = this.rows(by).get(keyOf(laneName, name))
    if (row === undefined) return `the take has no ${by} ${name.join(' > ')} on the lane ${laneName}`
    return this.ofRow(row, figure)
  }

  get mainLane(): string {
    return this.#study.declarations.lane(MAIN_LANE).name
  }

  ofRow({ calls, selfNs, totalNs, bytes }: LedgerRow, figure: string): number | string {
    if (figure === 'msPerFrame') return totalNs / this.#count / 1e6
    if (figure === 'ownMsPerFrame') return selfNs / this.#count / 1e6
    if (figure === 'runsPerFrame') return calls / this.#count
    return this.knowsBytes ? bytes / this.#count : NO_BYTES
  }

  get knowsBytes(): boolean {
    return this.#study.conditions.mode === 'bytes'
  }

  /** By lane and name. */
  rows(by: 'path' | 'group'): Map<string, LedgerRow> {
    const known = this.#ledgers.get(by)
    if (known !== undefined) return known
    const { declarations, paths } = this.#study
    const rows = ledgerOfFrames(this.#study, new Uint8Array(this.#count).fill(1), by)
    const { groups } = declarations
    const lanes = [...declarations.lanes.values()]
    const groupKeys = new Map(
      lanes.flatMap(({ id, name }) =>
        groups.map((group, number) => [laneKey(id, number), keyOf(name, [group])] as const),
      ),
    )
    const named = new Map<string, LedgerRow>()
    for (const row of rows) {
      const key =
        by === 'group'
          ? groupKeys.get(row.key)!
          : keyOf(declarations.lane(paths.get(row.key).lane).name, pathNames(this.#study, row.key))
      const other = named.get(key)
      named.set(key, other === undefined ? row : addedUp(other, row))
    }
    this.#ledgers.set(by, named)
    return named
  }

  #ofFrames(figure: keyof typeof LIMITED.frames): number | string {
    const { frames } = this.#study
    this.#frames ??= frameFigures(frames, budgetNsOf(this.#study) / 1e6)
    const { work, overShare, late } = this.#frames
    switch (figure) {
      case 'p50Ms':
        return work.p50
      case 'p95Ms':
        return work.p95
      case 'p99Ms':
        return work.p99
      case 'worstMs':
        return work.worst
      case 'overShare':
        return overShare
      case 'lateShare':
        return late / this.#count
      case 'collectionsPer1000':
        return (1000 * sum(frames.collections)) / this.#count
      case 'bytesPerFrame': {
        const known = frames.bytes.filter((bytes) => bytes !== BYTES_UNKNOWN)
        return known.length === 0 ? NO_BYTES : sum(known) / known.length
      }
    }
  }

  #ofClass(name: string): number | string {
    const series = instancesOf(this.#study).find((one) => one.name === name)
    if (series === undefined) return `the take tells of no class ${name}`
    return series.alive.reduce((most, value) => (value > most ? value : most), 0)
  }

  #ofFindings(kind: string): number {
    const evidence = gatherEvidence(this.#study)
    this.#findings ??= findAll(evidence).filter((finding) => !isFolded(finding, evidence.budgetNs))
    return this.#findings.filter((finding) => finding.kind === kind).length
  }
}

/** Markers of one name may be several; a budget knows names. */
const addedUp = (one: LedgerRow, other: LedgerRow): LedgerRow => ({
  ...one,
  calls: one.calls + other.calls,
  selfNs: one.selfNs + other.selfNs,
  totalNs: one.totalNs + other.totalNs,
  bytes: one.bytes + other.bytes,
})

const NO_BYTES = 'bytes were not recorded'

const keyOf = (lane: string, name: readonly string[]): string => JSON.stringify([lane, ...name])

/** Paths that are surely worse by more; one row that says so where none is. */
function worseRows(take: string, { paths, alike }: ComparisonTold, most: number): CheckRow[] {
  const row = (path: PathRow | null): CheckRow => ({
    ...{ take, of: 'before', figure: 'worseByMs', most },
    name: path === null ? [] : [...path.path],
    value: path === null ? 0 : path.difference,
    outcome: path === null ? 'holds' : 'breached',
    words: path === null ? alike.differences.join('; ') : `surely by ${path.low.toPrecision(3)} ms at least`,
  })
  const worse = paths.filter(({ verdict, low }) => verdict === 'worse' && low > most)
  return worse.length === 0 ? [row(null)] : worse.map(row)
}
