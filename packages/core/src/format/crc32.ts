/** CRC-32 as in gzip (RFC 1952, 8), and the chain that it makes of a take's records. */

/** Eight tables, so that eight bytes are taken at a time: row k holds what a byte comes to k bytes later. */
const TABLES = Array.from({ length: 8 }, () => new Uint32Array(256))
for (let byte = 0; byte < 256; byte++) {
  let crc = byte
  for (let bit = 0; bit < 8; bit++) crc = crc & 1 ? (crc >>> 1) ^ 0xedb88320 : crc >>> 1
  TABLES[0]![byte] = crc
}
for (let row = 1; row < 8; row++) {
  for (let byte = 0; byte < 256; byte++) {
    const before = TABLES[row - 1]![byte]!
    TABLES[row]![byte] = (before >>> 8) ^ TABLES[0]![before & 0xff]!
  }
}
const [T0, T1, T2, T3, T4, T5, T6, T7] = TABLES as [
  Uint32Array,
  Uint32Array,
  Uint32Array,
  Uint32Array,
  Uint32Array,
  Uint32Array,
  Uint32Array,
  Uint32Array,
]

/** @param before the CRC of what stands before these bytes */
export function crc32(bytes: Uint8Array, before = 0): number {
  let crc = ~before
  let at = 0
  for (const end = bytes.length - 7; at < end; at += 8) {
    const low = crc ^ (bytes[at]! | (bytes[at + 1]! << 8) | (bytes[at + 2]! << 16) | (bytes[at + 3]! << 24))
    crc =
      T7[low & 0xff]! ^
      T6[(low >>> 8) & 0xff]! ^
      T5[(low >>> 16) & 0xff]! ^
      T4[low >>> 24]! ^
      T3[bytes[at + 4]!]! ^
      T2[bytes[at + 5]!]! ^
      T1[bytes[at + 6]!]! ^
      T0[bytes[at + 7]!]!
  }
  for (; at < bytes.length; at++) crc = (crc >>> 8) ^ T0[(crc ^ bytes[at]!) & 0xff]!
  return ~crc >>> 0
}

/**
 * The chain after record n: CRC-32 of the chain before it, four bytes, big-endian, and the record's bytes as sent.
 * Whoever sends and whoever stores come to the same, or something was changed, lost or doubled on the way.
 * @param before the chain after record n − 1; 0 before the first
 */
export function chained(before: number, record: Uint8Array): number {
  const head = Uint8Array.of(before >>> 24, before >>> 16, before >>> 8, before)
  return crc32(record, crc32(head))
}
