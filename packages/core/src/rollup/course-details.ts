/** What the runs of each path said about themselves, frame by frame: beside the courses, cell for cell. */
import { joinSections, splitSections, VarintWriter } from '../take/index.ts'

interface DetailRule {
  /** What one cell of it is kept in. */
  array: Uint32ArrayConstructor | Float64ArrayConstructor
  unit: string
  about: string
}

/** What adds up over cells, chunks and takes, beside calls and times; in the order in which it is stored. */
export const DETAIL_RULES = {
  said: { array: Uint32Array, unit: '', about: 'runs without a key that said whether they changed anything' },
  needless: { array: Uint32Array, unit: '', about: 'of these, the runs that changed nothing' },
  needlessNs: { array: Float64Array, unit: 'ns', about: 'their time with all inside' },
  repeated: {
    array: Uint32Array,
    unit: '',
    about: 'runs with a key that had been asked, and answered alike, in the same frame',
  },
  repeatedNs: { array: Float64Array, unit: 'ns', about: 'their time with all inside' },
  bytes: { array: Float64Array, unit: 'bytes', about: 'allocated by the runs alone, where known' },
  unknownBytes: { array: Uint32Array, unit: '', about: 'runs of which that is not known' },
} as const satisfies Record<string, DetailRule>
type DetailName = keyof typeof DETAIL_RULES
export type DetailSums = Record<DetailName, number>
/** One element a cell of the courses. */
export type CourseDetails = { [K in DetailName]: InstanceType<(typeof DETAIL_RULES)[K]['array']> }

export const DETAIL_SUMS = Object.keys(DETAIL_RULES) as DetailName[]

const mapDetails = <T>(make: (rule: DetailRule) => T) =>
  Object.fromEntries(DETAIL_SUMS.map((sum) => [sum, make(DETAIL_RULES[sum])]))

export const noDetails = () => mapDetails(() => 0) as DetailSums

export const newCourseDetails = (cells: number) =>
  mapDetails(({ array }) => new array(cells)) as unknown as CourseDetails

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
