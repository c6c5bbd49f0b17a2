/** Garbage collections: when, how long, and who made the garbage. */
import { SUSPECTED_TAG } from '../format/index.ts'
import { median } from '../stats/index.ts'
import { MAIN_LANE, type Path } from '../take/index.ts'
import { frameCount, type PathCourse, type Study } from '../study/index.ts'

/** A path allocates steadily when it does so in this share of the frames. */
export const STEADY = 0.8

/** Collections of one kind in one frame of the main lane. */
export interface Collection {
  frame: number
  /** Name of the marker, such as `collection (minor)`. */
  kind: string
  /** A fall of the heap is all that tells of it: the pause is not known. */
  suspected: boolean
  count: number
  pauseNs: number
  /** Bytes allocated since the last of its kind, by path, most first; empty where bytes are not recorded. */
  blame: { path: number; bytes: number }[]
}

export interface Allocator {
  path: number
  /** Known bytes over all frames. */
  bytes: number
  /** Share of the frames in which it allocates. */
  share: number
  steady: boolean
  /** The frame in which it allocates most. */
  worstFrame: number
}

const isCollection = ({ kind, lane }: Path) => kind === 'collect' && lane === MAIN_LANE

/** In order of frames. */
export function collectionsOf(study: Study): Collection[] {
  const found = new Map<string, Collection>()
  const byKind = new Map<string, Collection[]>()
  for (const course of study.courses.values()) {
    const path = study.paths.get(course.path)
    if (!isCollection(path)) continue
    const { name: kind, tags } = study.declarations.marker(path.marker)
    for (let cell = 0; cell < course.frame.length; cell++) {
      const frame = course.frame[cell]!
      const key = `${frame} ${kind}`
      const known = found.get(key)
      if (known === undefined) {
        const collection = {
          frame,
          kind,
          suspected: tags.includes(SUSPECTED_TAG),
          count: course.calls[cell]!,
          pauseNs: course.selfNs[cell]!,
          blame: [],
        }
        found.set(key, collection)
        const own = byKind.get(kind)
        if (own === undefined) byKind.set(kind, [collection])
        else own.push(collection)
      } else {
        known.count += course.calls[cell]!
        known.pauseNs += course.selfNs[cell]!
      }
    }
  }
  for (const collections of byKind.values()) {
    collections.sort((a, b) => a.frame - b.frame)
    addBlame(study, collections)
  }
  return [...found.values()].sort((a, b) => a.frame - b.frame)
}

/** Bytes of each path up to and with the frame of each collection, since the one before. */
function addBlame(study: Study, collections: Collection[]): void {
  for (const [path, { frame, details }] of study.courses) {
    if (details === null) continue
    let at = 0
    let sum = 0
    const settle = () => {
      if (sum > 0) collections[at]!.blame.push({ path, bytes: sum })
      sum = 0
      at++
    }
    for (let cell = 0; cell < frame.length && at < collections.length; cell++) {
      while (at < collections.length && frame[cell]! > collections[at]!.frame) settle()
      if (at < collections.length) sum += details.bytes[cell]!
    }
    if (at < collections.length && sum > 0) settle()
  }
  for (const { blame } of collections) blame.sort((a, b) => b.bytes - a.bytes)
}

/** Who allocates on the main lane, most bytes first. Empty where bytes are not recorded. */
export function allocatorsOf(study: Study): Allocator[] {
  const count = frameCount(study)
  return [...study.courses.values()]
    .filter(({ path, details }) => details !== null && study.paths.get(path).lane === MAIN_LANE)
    .map((course) => allocatorOf(course, count))
    .filter(({ bytes }) => bytes > 0)
    .sort((a, b) => b.bytes - a.bytes)
}

function allocatorOf({ path, frame, details }: PathCourse, count: number): Allocator {
  const { bytes } = details!
  let sum = 0
  let frames = 0
  let worst = 0
  for (let cell = 0; cell < bytes.length; cell++) {
    if (bytes[cell]! <= 0) continue
    sum += bytes[cell]!
    frames++
    if (bytes[cell]! > bytes[worst]!) worst = cell
  }
  const share = frames / Math.max(1, count)
  return { path, bytes: sum, share, steady: share >= STEADY, worstFrame: frame[worst] ?? 0 }
}

/** How many collections took place. */
export const timesOf = (collections: readonly Collection[]): number =>
  collections.reduce((sum, { count }) => sum + count, 0)

/** What one of them took, at the median, ns. */
export const usualPauseNs = (collections: readonly Collection[]): number =>
  collections.length === 0 ? 0 : median(collections.map(({ pauseNs, count }) => pauseNs / count))

/** Pauses of all collections together, ns. */
export const pauseTotalNs = (collections: readonly Collection[]): number =>
  collections.reduce((sum, { pauseNs }) => sum + pauseNs, 0)
