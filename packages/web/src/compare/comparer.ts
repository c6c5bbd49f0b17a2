/** The work behind a comparison, off the page's own thread: takes are read, judged alike, and set against each other. */
import type { TakeDetail } from '@lapsus/api'
import {
  counterpartOf,
  sameMoments,
  tellComparison,
  tellingFrames,
  type ComparisonTold,
} from '@lapsus/core/compare'
import { frameCount, type Study } from '@lapsus/core/study'
import { joinedColumns } from '../plan/joined-columns.ts'
import { readStudy } from '../plan/read-study.ts'

export interface Compared {
  told: ComparisonTold
  /** Work of all frames on each side, ns. */
  before: Float64Array
  after: Float64Array
  joins: Join[]
  tookMs: number
}

/** Frames of both sides that match, numbered among all frames of each; with the moment that they match by. */
export interface Join {
  name: string
  before: number
  after: number
}

export type SideName = 'before' | 'after'

/** A frame of one of a side's takes. */
export interface Place {
  /** Number of the take on its side, and of the frame in it. */
  take: number
  frame: number
  /** Number among all frames of the side. */
  at: number
}

export class Comparer {
  #sides: Record<SideName, Study[]> = { before: [], after: [] }
  #paired = false

  /** @throws Error with words fit to show */
  async compare(takesBefore: TakeDetail[], takesAfter: TakeDetail[], target: number): Promise<Compared> {
    const sides = { before: await readAll(takesBefore, target), after: await readAll(takesAfter, target) }
    const startMs = performance.now()
    const told = tellComparison(sides.before, sides.after)
    const tookMs = performance.now() - startMs
    this.#sides = sides
    this.#paired = told.paired
    const [before, after] = [workOf(sides.before), workOf(sides.after)]
    return { told, before, after, joins: joinsOf(sides), tookMs }
  }

  /** Frames of each side that tell of a path; numbered among all frames of the side. */
  lit(path: readonly string[], lane: string): Record<SideName, Uint32Array> {
    const of = (studies: readonly Study[]) => {
      const found: number[] = []
      let first = 0
      for (const study of studies) {
        const id = idOf(study, path, lane)
        if (id !== null) for (const frame of tellingFrames(study, id)) found.push(first + frame)
        first += frameCount(study)
      }
      return Uint32Array.from(found)
    }
    return { before: of(this.#sides.before), after: of(this.#sides.after) }
  }

  /** A frame of one side, and the one that is like it on the other; null where there is none. */
  pair(side: SideName, at: number): Record<SideName, Place> | null {
    const other: SideName = side === 'before' ? 'after' : 'before'
    const place = placeOf(this.#sides[side], at)
    if (place === null) return null
    const [own, theirs] = [this.#sides[side][place.take]!, this.#sides[other]]
    const take = Math.min(place.take, theirs.length - 1)
    const frame = counterpartOf(own, theirs[take]!, place.frame, this.#paired)
    if (frame < 0) return null
    return { [side]: place, [other]: { take, frame, at: firstOf(theirs, take) + frame } } as Record<
      SideName,
      Place
    >
  }
}

/** Takes are matched in the order in which they were named. */
const joinsOf = ({ before, after }: Record<SideName, Study[]>): Join[] =>
  before.slice(0, after.length).flatMap((study, take) =>
    sameMoments(study, after[take]!).map(({ name, one, other }) => ({
      name,
      before: firstOf(before, take) + one,
      after: firstOf(after, take) + other,
    })),
  )

/** Number of a take's first frame among all of its side. */
const firstOf = (studies: readonly Study[], take: number): number =>
  studies.slice(0, take).reduce((sum, study) => sum + frameCount(study), 0)

function placeOf(studies: readonly Study[], at: number): Place | null {
  let first = 0
  for (const [take, study] of studies.entries()) {
    const frame = at - first
    if (frame < frameCount(study)) return { take, frame, at }
    first += frameCount(study)
  }
  return null
}

/** Number of the path with these names; the first where several markers share one. */
function idOf({ paths, declarations }: Study, names: readonly string[], lane: string): number | null {
  const found = paths.all.find(
    ({ id, lane: own }) =>
      declarations.lane(own).name === lane &&
      paths
        .chain(id)
        .map((one) => declarations.marker(paths.get(one).marker).name)
        .join('\n') === names.join('\n'),
  )
  return found?.id ?? null
}

async function readAll(details: TakeDetail[], target: number): Promise<Study[]> {
  const studies: Study[] = []
  for (const detail of details) studies.push({ ...(await readStudy(detail, () => {})), target })
  return studies
}

const workOf = (studies: Study[]) => joinedColumns(studies.map(({ frames }) => frames.workNs))
