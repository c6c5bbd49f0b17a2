/** U+FEFF in UTF-8, which some programs write before all else. */
export const BYTE_ORDER_MARK = [0xef, 0xbb, 0xbf]

/** What follows a mark of byte order. */
export function withoutMark(bytes: Uint8Array): Uint8Array {
  const hasMark = BYTE_ORDER_MARK.every((byte, i) => bytes[i] === byte)
  return hasMark ? bytes.subarray(BYTE_ORDER_MARK.length) : bytes
}
