/** The records of one take that come together, as in the body of a request: a CBOR sequence, or lines of JSON. */
import {
  CUT,
  decodeRecord,
  FormatError,
  locate,
  scanItem,
  validateRecord,
  type AnyRecord,
  type FormatErrorPlace,
} from '../format/index.ts'
import { LineSplitter } from './lines.ts'

const BRACE = 0x7b
const LINE_FEED = 0x0a

export interface PostedRecord {
  record: AnyRecord
  place: FormatErrorPlace
  /** As they came. */
  bytes: Uint8Array
}

/**
 * Each record with its place, the take's own first. Every other must have its number: what is sent twice is known by it.
 * @throws FormatError with its place where a record is wrong, or breaks off; those before it were given
 */
export function* postedRecords(body: Uint8Array): Generator<PostedRecord> {
  let isEmpty = true
  for (const item of body[0] === BRACE ? jsonRecords(body) : cborRecords(body)) {
    isEmpty = false
    yield item
  }
  if (isEmpty) throw new FormatError('not-a-take', 'there is no record').at({ record: 0, offset: 0 })
}

function* cborRecords(body: Uint8Array): Generator<PostedRecord> {
  let offset = 0
  for (let index = 0; offset < body.length; index++) {
    const place = { record: index, offset }
    const end = locate(place, () => scanItem(body, offset))
    if (end === CUT) throw new FormatError('not-cbor', 'got less than one item').at(place)
    const bytes = body.subarray(offset, end)
    yield { record: decodeRecord(bytes, place), place, bytes }
    offset = end
  }
}

function* jsonRecords(body: Uint8Array): Generator<PostedRecord> {
  const found: { text: string; place: FormatErrorPlace }[] = []
  const lines = new LineSplitter()
  const keep = (text: string) => {
    const place = { record: found.length, offset: lines.offset }
    if (text.trim() !== '') found.push({ text, place })
  }
  lines.push(body, keep)
  lines.finish(keep)
  for (const { text, place } of found)
    yield {
      record: locate(place, () => jsonRecord(text, place.record === 0)),
      place,
      bytes: lineAt(body, place.offset),
    }
}

/** A line without its end. */
function lineAt(body: Uint8Array, offset: number): Uint8Array {
  const end = body.indexOf(LINE_FEED, offset)
  return body.subarray(offset, end < 0 ? body.length : end)
}

function jsonRecord(text: string, isFirst: boolean): AnyRecord {
  let value: unknown
  try {
    value = JSON.parse(text)
  } catch (error) {
    throw new FormatError('bad-field', `a line of JSON: ${(error as Error).message}`)
  }
  const record = validateRecord(value)
  if (isFirst !== (record.record === 'take'))
    throw new FormatError('not-a-take', isFirst ? 'the first record is another' : 'got that record again')
  return record
}
