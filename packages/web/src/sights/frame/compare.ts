/** Two frames side by side: what each path did in one and in the other. Pure. */
import type { PageAnswer } from '@lapsus/core/questions/page'
import { MAIN_LANE, type PathTable } from '@lapsus/core/take'

export interface PathSums {
  calls: number
  selfNs: number
}

/** Runs and self time of every path of a page, on all lanes. */
export function sumsByPath(
  { path, spanDurationNs }: Pick<PageAnswer, 'path' | 'spanDurationNs'>,
  { depthOf }: PathTable,
): Map<number, PathSums> {
  const selfNs = new Float64Array(spanDurationNs)
  const open: number[] = []
  for (let span = 0; span < path.length; span++) {
    const depth = depthOf[path[span]!]!
    open[depth] = span
    if (depth > 0) selfNs[open[depth - 1]!]! -= spanDurationNs[span]!
  }
  const sums = new Map<number, PathSums>()
  for (let span = 0; span < path.length; span++) {
    const sum = sums.get(path[span]!) ?? { calls: 0, selfNs: 0 }
    sum.calls++
    sum.selfNs += Math.max(0, selfNs[span]!)
    sums.set(path[span]!, sum)
  }
  return sums
}

export interface MatchedPath {
  path: number
  here: PathSums
  there: PathSums
  differenceNs: number
}

const NOTHING: PathSums = { calls: 0, selfNs: 0 }

/** The paths of the main lane in either frame, the largest difference first. */
export function matchPaths(
  here: ReadonlyMap<number, PathSums>,
  there: ReadonlyMap<number, PathSums>,
  { laneOf }: PathTable,
): MatchedPath[] {
  return [...new Set([...here.keys(), ...there.keys()])]
    .filter((path) => laneOf[path] === MAIN_LANE)
    .map((path) => {
      const [a, b] = [here.get(path) ?? NOTHING, there.get(path) ?? NOTHING]
      return { path, here: a, there: b, differenceNs: a.selfNs - b.selfNs }
    })
    .sort((a, b) => Math.abs(b.differenceNs) - Math.abs(a.differenceNs))
}

/** What each path has more here than there, by path; nothing for those that have less. */
export function excessByPath(
  here: ReadonlyMap<number, PathSums>,
  there: ReadonlyMap<number, PathSums>,
): Map<number, number> {
  return new Map(
    [...here].map(([path, { selfNs }]) => [path, Math.max(0, selfNs - (there.get(path)?.selfNs ?? 0))]),
  )
}
