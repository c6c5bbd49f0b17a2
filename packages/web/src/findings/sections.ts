/** Findings as the column lists them: what is worth a look, and what is folded away. Pure. */

export interface MarkedFinding extends FindingReport {
  mark: FindingMark | null
}

export interface FindingSections {
  floor: MarkedFinding[]
  spike: MarkedFinding[]
  /** What the machine does to the game. */
  machine: MarkedFinding[]
  /** Marked as known or as no problem. */
  marked: MarkedFinding[]
  /** Below 1 % of the budget. */
  small: MarkedFinding[]
}

export function sectionsOf({ findings, marks }: DiagnosisAnswer): FindingSections {
  const markOf = new Map(marks.map((mark) => [mark.finding, mark]))
  const all = findings.map((finding) => ({ ...finding, mark: markOf.get(finding.id) ?? null }))
  const open = all.filter(({ mark }) => mark === null)
  const shown = open.filter(({ small }) => !small)
  return {
    floor: shown.filter(({ trouble }) => trouble === 'floor'),
    spike: shown.filter(({ trouble }) => trouble === 'spike'),
    machine: shown.filter(({ trouble }) => trouble === 'machine'),
    marked: all.filter(({ mark }) => mark !== null),
    small: open.filter(({ small }) => small),
  }
}
import type { DiagnosisAnswer, FindingMark, FindingReport } from '@lapsus/core/questions/diagnosis'
