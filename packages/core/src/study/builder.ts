import {
  mapColumns,
  SAMPLE_NAMES,
  SAMPLES,
  type Conditions,
  type Moment,
  type SampleName,
  type Table,
} from '../format/index.ts'
import { DETAIL_SUMS, newCourseDetails, type Courses } from '../rollup/index.ts'
import {
  concatFrames,
  pairJobs,
  type Declarations,
  type FrameColumns,
  type PathTable,
  type Samples,
} from '../take/index.ts'
import { cutCells } from './part.ts'
import type { PathCourse, Study } from './study.ts'

/** What a study needs of one chunk. */
export interface StudyChunk {
  frames: FrameColumns
  courses: Courses
  samples: Samples
  moments: readonly Pick<Moment, 'name' | 'atNs' | 'data'>[]
  /** Whether it begins a kept stretch. */
  beginsStretch: boolean
  dropped: number
}

export interface StudyFrom {
  conditions: Conditions
  target: number
  declarations: Declarations
  paths: PathTable
}

/** Room is made for so many chunks like the first in which a path ran: it may have run in that one only. */
const MOST_ROOM = 256

/**
 * Puts the chunks of a take together as they come, in order. A study of those so far may be asked for at any time, and
 * stays as it is when more are added.
 */
export class StudyBuilder {
  readonly #expected: number
  readonly #chunks: Omit<StudyChunk, 'courses'>[] = []
  /** Of each chunk. */
  readonly #firsts: number[] = []
  readonly #courses = new Map<number, GrowingCourse>()
  #frames = 0
  #cells = 0

  /** @param expected about how many frames there will be, if that is known: room for them is made at once */
  constructor(expected = 0) {
    this.#expected = expected
  }

  /** Frames so far. */
  get frames(): number {
    return this.#frames
  }

  /** Cells of courses so far: 24 bytes each, without details. */
  get cells(): number {
    return this.#cells
  }

  add({ courses, ...chunk }: StudyChunk): void {
    this.#chunks.push(chunk)
    this.#firsts.push(this.#frames)
    const left = (this.#expected - this.#frames) / courses.frames
    const times = Math.min(MOST_ROOM, Math.max(1, left))
    for (let i = 0, from = 0; i < courses.path.length; i++) {
      const path = courses.path[i]!
      const to = courses.cellEnd[i]!
      // As many in each chunk to come as in this one.
      const course = getOrMake(
        this.#courses,
        path,
        () => new GrowingCourse(path, Math.ceil((to - from) * times)),
      )
      course.add(courses, from, to, this.#frames)
      from = to
    }
    this.#cells += courses.frame.length
    this.#frames += chunk.frames.startNs.length
  }

  study(from: StudyFrom): Study {
    const chunks = this.#chunks
    const frames = concatFrames(chunks.map((chunk) => chunk.frames))
    const series = new SampleSeries(this.#frames)
    chunks.forEach(({ samples }, i) => series.add(samples, this.#firsts[i]!))
    const courses = [...this.#courses.values()].sort((a, b) => a.path - b.path)
    return {
      ...from,
      firstFrame: 0,
      frames,
      courses: new Map(courses.map((course) => [course.path, course.soFar()])),
      ...series.finish(),
      jobs: pairJobs(chunks.map(({ samples }) => samples.jobs)),
      moments: momentsOf(chunks, frames),
      stretches: this.#firsts.filter((_, i) => chunks[i]!.beginsStretch),
      dropped: chunks.reduce((sum, { dropped }) => sum + dropped, 0),
    }
  }
}

/** Puts the chunks of a take, given in order, together. */
export function buildStudy(from: StudyFrom, chunks: readonly StudyChunk[]): Study {
  const builder = new StudyBuilder(chunks.reduce((sum, { frames }) => sum + frames.startNs.length, 0))
  chunks.forEach((chunk) => builder.add(chunk))
  return builder.study(from)
}

function momentsOf(chunks: readonly Pick<StudyChunk, 'moments'>[], frames: FrameColumns) {
  const moments = chunks.flatMap((chunk) => chunk.moments).sort((a, b) => a.atNs - b.atNs)
  let frame = 0
  return moments.map(({ name, atNs, data }) => {
    while (frame + 1 < frames.startNs.length && frames.startNs[frame + 1]! <= atNs) frame++
    return { name, atNs, frame, data }
  })
}

/** The cells of a path, chunk after chunk, in columns with room for more. */
class GrowingCourse {
  /** With room behind the last cell. */
  #course: PathCourse
  #length = 0

  constructor(path: number, cells: number) {
    this.#course = roomFor(path, cells, false)
  }

  get path(): number {
    return this.#course.path
  }

  /** The cells `from` to before `to` of a chunk whose first frame is `first`. */
  add(courses: Courses, from: number, to: number, first: number): void {
    const at = this.#length
    this.#length += to - from
    if (this.#length > this.#course.frame.length) this.#grow()
    const { frame, calls, selfNs, totalNs } = this.#course
    const { frame: within, details } = courses
    for (let cell = from; cell < to; cell++) frame[at + cell - from] = first + within[cell]!
    calls.set(courses.calls.subarray(from, to), at)
    selfNs.set(courses.selfNs.subarray(from, to), at)
    totalNs.set(courses.totalNs.subarray(from, to), at)
    if (details === null) return
    const own = (this.#course.details ??= newCourseDetails(frame.length))
    for (const sum of DETAIL_SUMS) own[sum].set(details[sum].subarray(from, to), at)
  }

  /** Views: what is added later does not show in them. */
  soFar(): PathCourse {
    return cutCells(this.#course, 0, this.#length)
  }

  #grow(): void {
    const { path, frame, calls, selfNs, totalNs, details } = this.#course
    const larger = roomFor(path, Math.max(this.#length, 2 * frame.length), details !== null)
    larger.frame.set(frame)
    larger.calls.set(calls)
    larger.selfNs.set(selfNs)
    larger.totalNs.set(totalNs)
    if (details !== null) for (const sum of DETAIL_SUMS) larger.details![sum].set(details[sum])
    this.#course = larger
  }
}

const roomFor = (path: number, cells: number, withDetails: boolean): PathCourse => ({
  path,
  frame: new Uint32Array(cells),
  calls: new Uint32Array(cells),
  selfNs: new Float64Array(cells),
  totalNs: new Float64Array(cells),
  details: withDetails ? newCourseDetails(cells) : null,
})

/** Samples of chunks as columns over all frames: what holds is unknown (NaN) before the first, all else 0. */
class SampleSeries {
  readonly #count: number
  readonly #series = Object.fromEntries(SAMPLE_NAMES.map((name) => [name, new Map()])) as Record<
    SampleName,
    Map<number, Record<string, Float64Array>>
  >

  constructor(count: number) {
    this.#count = count
  }

  add(samples: Samples, first: number): void {
    for (const name of SAMPLE_NAMES) {
      const { key, columns, holds } = SAMPLES[name]
      for (const item of samples[name]) {
        const fields = item as unknown as Record<string, Float64Array> & Record<string, number>
        const series = getOrMake(this.#series[name], fields[key]!, () =>
          mapColumns(columns as Table, () => new Float64Array(this.#count).fill(holds ? NaN : 0)),
        )
        for (const column of Object.keys(columns)) {
          const [target, source] = [series[column]!, fields[column]!]
          item.frame.forEach((at, i) => (target[first + at] = source[i]!))
        }
      }
    }
  }

  finish() {
    for (const name of SAMPLE_NAMES) {
      if (!SAMPLES[name].holds) continue
      for (const series of this.#series[name].values()) Object.values(series).forEach(holdValues)
    }
    const { gauges, watches, lives, updaters } = this.#series
    return {
      gauges: new Map([...gauges].map(([id, { value }]) => [id, value!])),
      watches: watches as Map<number, never>,
      lives: lives as Map<number, never>,
      updaters: updaters as Map<number, never>,
    }
  }
}

/** What was said last holds until something else is said. */
function holdValues(series: Float64Array): void {
  for (let i = 1; i < series.length; i++) if (Number.isNaN(series[i]!)) series[i] = series[i - 1]!
}

function getOrMake<K, V>(map: Map<K, V>, key: K, make: () => V): V {
  const known = map.get(key)
  if (known !== undefined) return known
  const made = make()
  map.set(key, made)
  return made
}
