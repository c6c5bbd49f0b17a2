/** What the runs of each path said about themselves, frame by frame: beside the courses, cell for cell. */
import { joinSections, splitSections, VarintWriter } from '../take/index.ts'

/** The columns that add up over cells, chunks and takes. */
export const DETAIL_SUMS = [
  'said',
  'needless',
  'needlessNs',
  'repeated',
  'repeatedNs',
  'bytes',
  'unknownBytes',
] as const
export type DetailSums = Record<(typeof DETAIL_SUMS)[number], number>

export const noDetails = (): DetailSums =>
  Object.fromEntries(DETAIL_SUMS.map((sum) => [sum, 0])) as unknown as DetailSums

/** One element a cell of the courses. */
export interface CourseDetails {
  /** Runs without a key that said whether they changed anything. */
  said: Uint32Array
  /** Of these, the runs that changed nothing, and their time with their children. */
  needless: Uint32Array
  needlessNs: Float64Array
  /** Runs with a key that had been asked, and answered alike, in the same frame; and their time. */
  repeated: Uint32Array
  repeatedNs: Float64Array
  /** Allocated by the runs alone, where known; and the runs of which it is not known. */
  bytes: Float64Array
  unknownBytes: Uint32Array
}

export const newCourseDetails = (cells: number): CourseDetails => ({
  said: new Uint32Array(cells),
  needless: new Uint32Array(cells),
  needlessNs: new Float64Array(cells),
  repeated: new Uint32Array(cells),
  repeatedNs: new Float64Array(cells),
  bytes: new Float64Array(cells),
  unknownBytes: new Uint32Array(cells),
})

/** A section a column; a column of nothing but zeros is empty. */
export function packCourseDetails(details: CourseDetails): Uint8Array {
  return joinSections(
    DETAIL_SUMS.map((name) => {
      const column: ArrayLike<number> = details[name]
      const writer = new VarintWriter()
      if (Array.prototype.some.call(column, (value) => value > 0)) {
        for (let cell = 0; cell < column.length; cell++) writer.write(column[cell]!)
      }
      return writer.bytes()
    }),
  )
}

/** @param cells as many as the courses have */
export function unpackCourseDetails(packed: Uint8Array, cells: number): CourseDetails {
  const details = newCourseDetails(cells)
  const sections = splitSections(packed, DETAIL_SUMS.length)
  DETAIL_SUMS.forEach((name, i) => {
    const section = sections[i]!
    const column = details[name]
    if (section.length > 0) for (let cell = 0; cell < cells; cell++) column[cell] = section.read()
  })
  return details
}
