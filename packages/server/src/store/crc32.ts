import * as zlib from 'node:zlib'
import { crc32 as inScript } from '@lapsus/core/format'

/** CRC-32 as in gzip: the platform's own, where this Node.js has it (from 20.15 and 22.2 on). */
export const crc32: (bytes: Uint8Array, before?: number) => number =
  (zlib as { crc32?: (bytes: Uint8Array, before?: number) => number }).crc32 ?? inScript

/** As core/format/crc32 has it. */
export function chained(before: number, record: Uint8Array): number {
  const head = Buffer.allocUnsafe(4)
  head.writeUInt32BE(before)
  return crc32(record, crc32(head))
}
