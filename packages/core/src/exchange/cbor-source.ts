import { RecordReader, type FormatErrorPlace } from '../format/index.ts'
import { Skipped, type OnRecord, type TakeSource, type ImportFormat } from './import-format.ts'

/** A take file: a CBOR sequence. */
class CborSource implements TakeSource {
  readonly format = 'take'
  readonly lenient = false
  readonly skipped = new Skipped()
  readonly #reader = new RecordReader()

  get ended(): boolean {
    return this.#reader.ended
  }

  get place(): FormatErrorPlace {
    return this.#reader.place
  }

  get pendingBytes(): number {
    return this.#reader.pendingBytes
  }

  push(piece: Uint8Array, onRecord: OnRecord): void {
    this.#reader.push(piece, onRecord)
  }

  finish(): void {}
}

/** Major types of CBOR (RFC 8949, 3.1) that a record may begin with. */
const MAP = 5
const TAG = 6

/** Whether a CBOR map may begin here, or nothing has come. */
const mayBeRecord = ([first = MAP << 5]: Uint8Array): boolean => [MAP, TAG].includes(first >> 5)

export const takeFile: ImportFormat = {
  name: 'take',
  begins: 'the bytes of a take file',
  isIt: ({ bytes, json }) => (json === null && mayBeRecord(bytes) ? 'surely' : 'no'),
  source: () => new CborSource(),
}
