import type { ScalingPoint } from '../../src/detect/scaling.ts'
import { run, runs, studyFrom, type Run, type TestFrame, type TestGame } from './studies.ts'
import { findAll, gatherEvidence, type Evidence, type Finding, type FindingKind } from '@lapsus/core/detect'

/** Whether the rule holds just short of its figure, and just at it. */
export type Edge = (limit: number) => [short: () => boolean, at: () => boolean]

export const MS = 1e6
export const BUDGET = 1e9 / 60

/** The same question of two values. */
export const between = <T>(short: T, at: T, holds: (value: T) => boolean): [() => boolean, () => boolean] => [
  () => holds(short),
  () => holds(at),
]

type More = Partial<TestFrame> & { inside?: Run[] }

const timeOf = (runs: Run[]): number =>
  runs.reduce((sum, { selfNs, children = [] }) => sum + selfNs + timeOf(children), 0)

/** Frames without any noise: 4 ms of sim, what `more` adds, and the wait for the refresh. */
export const still = (count: number, more: (frame: number) => More): TestFrame[] =>
  Array.from({ length: count }, (_, frame) => {
    const { inside = [], ...rest } = more(frame)
    const waitNs = BUDGET - 4 * MS - timeOf(inside)
    return {
      ...rest,
      runs: [
        run('sim', 4 * MS, { children: inside }),
        run('refresh', Math.max(0, waitNs)),
        ...(rest.runs ?? []),
      ],
    }
  })

export function evidenceOf(frames: TestFrame[], game: TestGame = {}): Evidence {
  const markers = { refresh: { kind: 'wait:refresh' as const }, ...game.markers }
  return gatherEvidence(studyFrom(frames, { ...game, markers }))
}

export const findingsOf = (kind: FindingKind, frames: TestFrame[], game?: TestGame): Finding[] =>
  findAll(evidenceOf(frames, game)).filter((finding) => finding.kind === kind)

export const finds = (kind: FindingKind, frames: TestFrame[], game?: TestGame): boolean =>
  findingsOf(kind, frames, game).length > 0

/** Spikes at these frames, the same each time. */
export const spikesAt = (
  count: number,
  at: readonly number[],
  moments: (frame: number) => string[] = () => [],
) =>
  still(count, (frame) => ({
    inside: at.includes(frame) ? runs(4, 'burst', 6 * MS) : [],
    moments: moments(frame),
  }))

export const line = (loads: readonly number[], cost: (load: number, i: number) => number): ScalingPoint[] =>
  loads.map((load, i) => ({ load, costNs: cost(load, i), frames: 10 }))

export const upTo = (count: number, from: number, to: number) =>
  Array.from({ length: count }, (_, i) => from + ((to - from) * i) / (count - 1))
