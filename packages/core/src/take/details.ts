/** Span details as bytes, ready to be deflated: a section a column, empty where it says nothing. */
import { entriesOf, newColumn, SPAN_DETAILS } from '../format/index.ts'
import { joinSections, splitSections } from './pack.ts'
import { noSpanDetails, type SpanDetails } from './spans.ts'
import { VarintWriter, type VarintReader } from './varint.ts'

/** Added to each value, so that none is negative. */
const raiseOf = ({ least }: { least: number }): number => -least

export function packDetails(details: SpanDetails): Uint8Array {
  return joinSections(entriesOf(SPAN_DETAILS).map(([name, rule]) => packColumn(details[name], raiseOf(rule))))
}

function packColumn(column: ArrayLike<number> | null, raise: number): Uint8Array {
  const writer = new VarintWriter()
  if (column !== null) for (let i = 0; i < column.length; i++) writer.write(column[i]! + raise)
  return writer.bytes()
}

/** The details of the spans `from` to before `to` of packed frames. */
export function unpackDetails(packed: Uint8Array, from: number, to: number): SpanDetails {
  const details: Record<string, unknown> = noSpanDetails()
  const entries = entriesOf(SPAN_DETAILS)
  splitSections(packed, entries.length).forEach((section, i) => {
    const [name, rule] = entries[i]!
    if (section.length > 0)
      details[name] = unpackColumn(section, from, raiseOf(rule), newColumn(rule, to - from))
  })
  return details as SpanDetails
}

function unpackColumn<T extends Uint8Array | Uint32Array | Float64Array>(
  reader: VarintReader,
  from: number,
  raise: number,
  column: T,
): T {
  reader.skip(from)
  for (let i = 0; i < column.length; i++) column[i] = reader.read() - raise
  return column
}
