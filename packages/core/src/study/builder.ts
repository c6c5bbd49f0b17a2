import {
  mapColumns,
  SAMPLE_NAMES,
  SAMPLES,
  type Conditions,
  type Moment,
  type SampleName,
  type Table,
} from '../format/index.ts'
import { DETAIL_SUMS, newCourseDetails, type CourseDetails, type Courses } from '../rollup/index.ts'
import {
  concatFrames,
  pairJobs,
  type Declarations,
  type FrameColumns,
  type PathTable,
  type Samples,
} from '../take/index.ts'
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

/** Puts the chunks of a take, given in order, together. */
export function buildStudy(from: StudyFrom, chunks: readonly StudyChunk[]): Study {
  const frames = concatFrames(chunks.map((chunk) => chunk.frames))
  const count = frames.startNs.length
  const firsts: number[] = []
  let first = 0
  for (const chunk of chunks) {
    firsts.push(first)
    first += chunk.frames.startNs.length
  }
  const series = new SampleSeries(count)
  chunks.forEach(({ samples }, i) => series.add(samples, firsts[i]!))
  return {
    ...from,
    firstFrame: 0,
    frames,
    courses: joinCourses(chunks, firsts),
    ...series.finish(),
    jobs: pairJobs(chunks.map(({ samples }) => samples.jobs)),
    moments: momentsOf(chunks, frames),
    stretches: firsts.filter((_, i) => chunks[i]!.beginsStretch),
    dropped: chunks.reduce((sum, { dropped }) => sum + dropped, 0),
  }
}

function momentsOf(chunks: readonly StudyChunk[], frames: FrameColumns) {
  const moments = chunks.flatMap((chunk) => chunk.moments).sort((a, b) => a.atNs - b.atNs)
  let frame = 0
  return moments.map(({ name, atNs, data }) => {
    while (frame + 1 < frames.startNs.length && frames.startNs[frame + 1]! <= atNs) frame++
    return { name, atNs, frame, data }
  })
}

/** The cells of each path, chunk after chunk. */
function joinCourses(chunks: readonly StudyChunk[], firsts: number[]): Map<number, PathCourse> {
  const cells = new Map<number, { cells: number; hasDetails: boolean }>()
  for (const { courses } of chunks) {
    courses.path.forEach((path, i) => {
      const known = cells.get(path) ?? { cells: 0, hasDetails: false }
      known.cells += courses.cellEnd[i]! - (i === 0 ? 0 : courses.cellEnd[i - 1]!)
      known.hasDetails ||= courses.details !== null
      cells.set(path, known)
    })
  }
  const joined = new Map<number, PathCourse & { filled: number }>()
  for (const path of [...cells.keys()].sort((a, b) => a - b)) {
    const { cells: length, hasDetails } = cells.get(path)!
    joined.set(path, {
      path,
      frame: new Uint32Array(length),
      calls: new Uint32Array(length),
      selfNs: new Float64Array(length),
      totalNs: new Float64Array(length),
      details: hasDetails ? newCourseDetails(length) : null,
      filled: 0,
    })
  }
  chunks.forEach(({ courses }, chunk) => {
    const first = firsts[chunk]!
    courses.path.forEach((path, i) => {
      const course = joined.get(path)!
      const from = i === 0 ? 0 : courses.cellEnd[i - 1]!
      const to = courses.cellEnd[i]!
      const at = course.filled
      const { frame } = course
      const { frame: within } = courses
      for (let cell = from; cell < to; cell++) frame[at + cell - from] = first + within[cell]!
      course.calls.set(courses.calls.subarray(from, to), at)
      course.selfNs.set(courses.selfNs.subarray(from, to), at)
      course.totalNs.set(courses.totalNs.subarray(from, to), at)
      if (courses.details !== null) copyDetails(courses.details, from, to, course.details!, at)
      course.filled += to - from
    })
  })
  return joined
}

function copyDetails(
  source: CourseDetails,
  from: number,
  to: number,
  target: CourseDetails,
  at: number,
): void {
  for (const sum of DETAIL_SUMS) target[sum].set(source[sum].subarray(from, to), at)
}

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
