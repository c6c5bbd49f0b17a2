/** Frames that a plan does not bring below the budget, and why. */
import { MAIN_LANE } from '../take/index.ts'
import type { Forecasted } from './forecast.ts'
import { recordedSelf } from './replay.ts'

export interface StillOver {
  frame: number
  beforeNs: number
  afterNs: number
  /** What takes most of it then, by itself. */
  because: Because[]
}

export interface Because {
  /** A path, the collections, or time outside any marker. */
  what: 'path' | 'collections' | 'unmarked'
  /** Number of the path; null for the others. */
  path: number | null
  ns: number
  beforeNs: number
}

const MOST_CAUSES = 3

/** The worst first. @param most frames that are told */
export function stillOver({ forecast, replay }: Forecasted, most = 50): StillOver[] {
  const { base } = replay
  const { workNs, collectNs } = base.study.frames
  const after = forecast.frames
  const frames = [...after.workNs.keys()].filter((frame) => after.workNs[frame]! > base.budgetNs)
  frames.sort((a, b) => after.workNs[b]! - after.workNs[a]!)
  const work = [...base.study.courses.keys()].filter((id) => {
    const { kind, lane } = base.study.paths.get(id)
    return kind === 'work' && lane === MAIN_LANE
  })
  return frames.slice(0, most).map((frame) => {
    const paths = work.map((path): Because => ({
      what: 'path',
      path,
      ns: replay.selfAt(path, frame),
      beforeNs: recordedSelf(base, path, frame),
    }))
    const rest = (all: number, collected: number, pick: (one: Because) => number) =>
      Math.max(
        0,
        paths.reduce((left, one) => left - pick(one), all - collected),
      )
    const others: Because[] = [
      { what: 'collections', path: null, ns: after.collectNs[frame]!, beforeNs: collectNs[frame]! },
      {
        what: 'unmarked',
        path: null,
        ns: rest(after.workNs[frame]!, after.collectNs[frame]!, ({ ns }) => ns),
        beforeNs: rest(workNs[frame]!, collectNs[frame]!, ({ beforeNs }) => beforeNs),
      },
    ]
    const because = [...paths, ...others].filter(({ ns }) => ns > 0).sort((a, b) => b.ns - a.ns)
    return {
      frame,
      beforeNs: workNs[frame]!,
      afterNs: after.workNs[frame]!,
      because: because.slice(0, MOST_CAUSES),
    }
  })
}
