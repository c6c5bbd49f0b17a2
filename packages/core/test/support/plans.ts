/** Plans on made-up takes, and what individual runs would have come to. */
import {
  baseOf,
  forecastPlan,
  newItem,
  type Forecasted,
  type ItemForecast,
  type PlanItem,
  type Values,
} from '@lapsus/core/remedy'
import { expect } from 'chai'
import type { RemedyKind } from '@lapsus/core/detect'
import { pathNames, type Study } from '@lapsus/core/study'
import { studyFrom, type Run, type TestFrame, type TestGame } from './studies.ts'

export const item = (
  remedy: RemedyKind,
  path: string[],
  parameters: Values = {},
  more: Partial<PlanItem> = {},
): PlanItem => ({
  ...newItem(remedy, path, '', `${remedy} ${path.join('/')}`),
  parameters: { ...parameters },
  ...more,
})

export const forecastOn = (frames: TestFrame[], items: PlanItem[], game: TestGame = {}): Forecasted =>
  forecastPlan(baseOf(studyFrom(frames, game)), { items })

/** The forecast of one item, which must not be refused. */
export function forecastOne(
  frames: TestFrame[],
  one: PlanItem,
  game: TestGame = {},
): ItemForecast & { workNs: Float64Array } {
  const { forecast } = forecastOn(frames, [one], game)
  const [found] = forecast.items
  if (found!.refusal !== null || found!.problems.length > 0)
    throw new Error([found!.refusal, ...found!.problems].join('; '))
  return { ...found!, workNs: forecast.frames.workNs }
}

/** Time of a run with all inside it, ns. */
export const totalOf = ({ selfNs, children = [] }: Run): number =>
  children.reduce((sum, child) => sum + totalOf(child), selfNs)

/** Work of each frame, run by run. @param change what becomes of the runs of each list; the same list by default */
export function workOf(
  frames: TestFrame[],
  change: (runs: Run[], frame: number) => Run[] = (runs) => runs,
): number[] {
  const visit = (runs: Run[], frame: number): number =>
    change(runs, frame).reduce((sum, run) => sum + run.selfNs + visit(run.children ?? [], frame), 0)
  return frames.map(({ runs, restNs = 0 }, frame) => restNs + visit(runs, frame))
}

/** The number of the path with these names. */
export const pathOf = (study: Study, names: readonly string[]): number =>
  study.paths.all.find(({ id }) => pathNames(study, id).join() === names.join())!.id

/** Closer than the rounding of many sums. */
export function expectWork(found: Float64Array, expected: number[]): void {
  expect(found.length).to.equal(expected.length)
  expected.forEach((ns, frame) => expect(found[frame], `frame ${frame}`).to.be.closeTo(ns, 0.5))
}
