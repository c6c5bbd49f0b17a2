/** What paths take after a plan. */
import { sum } from '../stats/index.ts'
import { NS_PER_MS } from '../take/index.ts'
import type { Base } from './base.ts'
import type { Replay } from './replay.ts'

/** Own time of every path, ms a frame, by its number. @param replay one that has not been released */
export function pathFigures({ study, count }: Base, replay: Replay): Map<number, number> {
  const column = replay.column()
  return new Map(
    [...study.courses.keys()].map((path) => {
      column.fill(0)
      replay.addSelf(path, column)
      return [path, count === 0 ? 0 : sum(column.subarray(0, count)) / count / NS_PER_MS]
    }),
  )
}
