/** The columns of frames as one table, so that joining, cutting and storing name none of them. */
import {
  BYTES_UNKNOWN,
  columnAs,
  entriesOf,
  FRAME_COLUMNS,
  FormatError,
  newColumn,
  type Column,
  type ColumnRule,
  type ColumnsOf,
  type OtherColumns,
} from '../format/index.ts'

export const WAIT_REASONS = ['refresh', 'graphics', 'job', 'io'] as const
export type WaitReason = (typeof WAIT_REASONS)[number]

/** One element a frame in each column; all times ns, starts since the take's start. */
export interface FrameColumns extends ColumnsOf<typeof FRAME_COLUMNS> {
  startNs: Float64Array
  durationNs: Float64Array
  /** Main-lane duration less main-lane waiting. */
  workNs: Float64Array
  /** Main-lane waiting by reason. */
  waitNs: Record<WaitReason, Float64Array>
  /** Main-lane garbage collection, part of the work. */
  collectNs: Float64Array
  /** Spans on all lanes. */
  spans: Uint32Array
  /** Spans on the main lane: what the recorder's share of the frame is estimated from. */
  mainSpans: Uint32Array
  /** Collections on the main lane, suspected ones included. */
  collections: Uint32Array
  /** Bytes allocated by the main lane's spans; BYTES_UNKNOWN where not recorded or a collection ran. */
  bytes: Float64Array
  /** Columns that this version does not know; NaN where a part does not have them. */
  other: OtherColumns
}

interface StoredColumn extends Pick<ColumnRule, 'wire' | 'holds' | 'empty' | 'asIs'> {
  of(frames: FrameColumns): Column
  put(frames: FrameColumns, column: Column): void
  /** The column that stands for it in takes stored before there was this one. */
  before?: string
}

type PlainName = Exclude<keyof FrameColumns, 'waitNs' | 'other'>

const plain = (
  name: PlainName,
  wire: string,
  holds: ColumnRule['holds'],
  more: Partial<Pick<StoredColumn, 'empty' | 'asIs' | 'before'>> = {},
): StoredColumn => ({
  ...{ wire, holds, empty: null, asIs: false },
  ...more,
  of: (frames) => frames[name],
  put: (frames, column) => void ((frames[name] as Column) = column),
})

const TABLE: readonly StoredColumn[] = [
  plain('startNs', 'start', 'amount', { asIs: true }),
  plain('durationNs', 'duration', 'amount'),
  plain('workNs', 'work', 'amount'),
  ...WAIT_REASONS.map((reason): StoredColumn => ({
    ...{ wire: reason, holds: 'amount', empty: null, asIs: false },
    of: ({ waitNs }) => waitNs[reason],
    put: ({ waitNs }, column) => void (waitNs[reason] = column as Float64Array),
  })),
  plain('collectNs', 'collect', 'amount'),
  ...entriesOf(FRAME_COLUMNS).map(([name, rule]) => plain(name, rule.wire, rule.holds, rule)),
  plain('spans', 'spans', 'whole'),
  plain('mainSpans', 'mainSpans', 'whole', { before: 'spans' }),
  plain('collections', 'collections', 'whole', { empty: 0 }),
  plain('bytes', 'bytes', 'amount', { empty: BYTES_UNKNOWN, asIs: true }),
]

/** Frames whose columns are what `make` gives for each. */
function framesOf(make: (column: StoredColumn) => Column, other: OtherColumns): FrameColumns {
  const frames = { waitNs: {}, other } as FrameColumns
  for (const column of TABLE) column.put(frames, make(column))
  return frames
}

export const emptyFrames = (count = 0): FrameColumns => framesOf((column) => newColumn(column, count), {})

/** The columns of several parts, one after the other. */
export function concatFrames(parts: readonly FrameColumns[]): FrameColumns {
  const total = parts.reduce((sum, part) => sum + part.startNs.length, 0)
  const join = (target: Column, of: (part: FrameColumns) => Column | undefined) => {
    let at = 0
    for (const part of parts) {
      const source = of(part)
      if (source !== undefined) target.set(source, at)
      at += part.startNs.length
    }
    return target
  }
  const names = new Set(parts.flatMap(({ other }) => Object.keys(other)))
  return framesOf(
    (column) => join(newColumn(column, total), column.of),
    Object.fromEntries(
      [...names].map((name) => [
        name,
        join(new Float64Array(total).fill(NaN), ({ other }) => other[name]) as Float64Array,
      ]),
    ),
  )
}

/** The frames `from` to before `to`: views on the same columns. */
export const cutFrames = (frames: FrameColumns, from: number, to: number): FrameColumns =>
  framesOf((column) => column.of(frames).subarray(from, to), cutOther(frames.other, from, to))

/** The frames with these numbers, in this order. */
export const pickFrames = (frames: FrameColumns, at: Uint32Array): FrameColumns =>
  framesOf(
    (column) => picked(column.of(frames), at),
    Object.fromEntries(Object.entries(frames.other).map(([name, values]) => [name, picked(values, at)])),
  )

/** The elements with these numbers, as a column of the same type. */
export function picked<C extends Column>(values: C, at: Uint32Array): C {
  const some = values.slice(0, at.length) as C
  for (let i = 0; i < at.length; i++) some[i] = values[at[i]!]!
  return some
}

export const cutOther = (other: OtherColumns, from: number, to: number): OtherColumns =>
  Object.fromEntries(Object.entries(other).map(([name, column]) => [name, column.subarray(from, to)]))

/** The columns under the names they are stored by. @param pack makes one as small as it can be */
export function storedFrames(
  frames: FrameColumns,
  pack: (column: Column) => Column,
): Record<string, unknown> {
  const stored: Record<string, unknown> = {}
  for (const { wire, empty, asIs, of } of TABLE) {
    const column = of(frames)
    if (empty !== null && column.every((value) => value === empty)) continue
    stored[wire] = asIs ? column : pack(column)
  }
  return Object.keys(frames.other).length === 0 ? stored : { ...stored, other: frames.other }
}

/** Reads what storedFrames wrote, and what earlier versions did. @throws FormatError for anything else */
export function framesFromStored(item: Record<string, unknown>): FrameColumns {
  const count = (item['start'] as Column | undefined)?.length ?? 0
  const lengthOf = (found: unknown, name: string): Column => {
    if (!ArrayBuffer.isView(found) || (found as Column).length !== count) {
      throw new FormatError('bad-field', `frame column "${name}" to have ${count} elements`)
    }
    return found as Column
  }
  const other = (item['other'] ?? {}) as Record<string, unknown>
  return framesOf(
    (column) => {
      const { wire, empty, before = wire } = column
      const found = item[wire] ?? item[before]
      if (found === undefined && empty !== null) return newColumn(column, count)
      return columnAs(column, lengthOf(found, wire))
    },
    Object.fromEntries(
      Object.entries(other).map(([name, column]) => [name, new Float64Array(lengthOf(column, name))]),
    ),
  )
}
