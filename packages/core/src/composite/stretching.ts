/** By how much each path's time in each frame of the first take is to be stretched to be the median of all takes. */
import { unmarkedNs } from '../detect/index.ts'
import { median } from '../stats/index.ts'
import { pathNames, type PathCourse, type Study } from '../study/index.ts'

/** Factors, all for the first take's frames and paths; 1 leaves a time as it is. */
export interface Stretching {
  /** Of time inside frames of the main lane, but in no marker; by frame. */
  unmarked: Float64Array
  /** By path: beside its course's `frame`. Paths that are missing stay as they are. */
  paths: Map<number, { frame: Uint32Array; factor: Float64Array }>
}

/** @param studies the first is the one that is stretched @param count frames that all have */
export function stretchingOf(studies: readonly Study[], count: number): Stretching {
  const [first, ...others] = studies as [Study, ...Study[]]
  const coursesOf = others.map(
    (study) => new Map([...study.courses].map(([id, course]) => [keyOf(study, id), course])),
  )
  const paths: Stretching['paths'] = new Map()
  for (const [id, course] of first.courses) {
    // The runtime collects when it likes: in each take at other moments, so that there is no middle.
    if (first.paths.get(id).kind === 'collect') continue
    const beside = coursesOf.flatMap((courses) => courses.get(keyOf(first, id)) ?? [])
    paths.set(id, { frame: course.frame, factor: factorsOf(course, beside) })
  }
  const unmarkedOf = studies.map(unmarkedNs)
  const unmarked = Float64Array.from({ length: count }, (_, frame) =>
    factor(
      unmarkedOf[0]![frame]!,
      unmarkedOf.map((values) => values[frame]!),
    ),
  )
  return { unmarked, paths }
}

const keyOf = (study: Study, id: number): string =>
  [study.declarations.lane(study.paths.get(id).lane).name, ...pathNames(study, id)].join('\n')

const factor = (own: number, all: number[]): number => (own > 0 ? median(all) / own : 1)

/** Takes in which the path did not run in a frame say nothing of it. */
function factorsOf(course: PathCourse, beside: readonly PathCourse[]): Float64Array {
  const at = beside.map(() => 0)
  return Float64Array.from(course.frame, (frame, cell) => {
    // By run: after a late frame there may be more of them.
    const own = course.selfNs[cell]! / course.calls[cell]!
    const all = [own]
    beside.forEach((other, i) => {
      while (at[i]! < other.frame.length && other.frame[at[i]!]! < frame) at[i]!++
      if (other.frame[at[i]!] === frame) all.push(other.selfNs[at[i]!]! / other.calls[at[i]!]!)
    })
    return factor(own, all)
  })
}
