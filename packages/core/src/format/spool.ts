/**
 * Spool files: records that a recorder could not deliver before its process ended. A CBOR sequence like a take file,
 * but of the take's own record and the records from some number on: docs/format.md, "Spool files".
 *
 * The name says where they belong, so that whoever finds one can tell without opening it:
 * `HOST_PORT~TAKE~WRITER~FIRST.spool`, FIRST being the number of its first record after the take's own; with `.jsonl` at
 * its end where the records are lines of JSON.
 */
import { CUT, scanItem } from './scan.ts'

const NAME =
  /^([A-Za-z0-9.[\]:-]+)_(\d{1,5})~([A-Za-z0-9_-]{8,64})~([A-Za-z0-9_-]{1,64})~(\d{1,16})\.spool(\.jsonl)?$/

/** Behind the name while somebody is bringing it in: whoever renames it has it. */
export const SPOOL_TAKEN = '.taken'
/** Behind the name of one that will never be stored: for whoever wants to look at it. */
export const SPOOL_REFUSED = '.refused'

/** Behind the name, a file of its own: the key that its records were to be let in with. */
export const SPOOL_KEY = '.key'

export interface SpoolName {
  host: string
  port: number
  take: string
  writer: string
  /** Number of the first record after the take's own; the others follow it without gaps. */
  first: number
  /** The records are lines of JSON. */
  lines?: boolean
}

export const spoolName = ({ host, port, take, writer, first, lines = false }: SpoolName): string =>
  `${host}_${port}~${take}~${writer}~${first}.spool${lines ? '.jsonl' : ''}`

/** @returns null for a file that is none of these */
export function readSpoolName(file: string): SpoolName | null {
  const found = NAME.exec(file)
  if (found === null) return null
  const [host, port, take, writer, first] = found.slice(1) as [string, string, string, string, string]
  const name = { host, port: Number(port), take, writer, first: Number(first) }
  return found.at(-1) === undefined ? name : { ...name, lines: true }
}

/** The records of a spool file, undecoded, the take's own first; a file that is cut gives its whole ones. */
export function* spooledRecords(file: Uint8Array): Generator<Uint8Array> {
  for (let at = 0; at < file.length;) {
    const end = scanItem(file, at)
    if (end === CUT) return
    yield file.subarray(at, end)
    at = end
  }
}
