const DIGITS = '0123456789abcdef'
const BY_CODE = Int8Array.from({ length: 128 }, (_, code) =>
  DIGITS.indexOf(String.fromCharCode(code).toLowerCase()),
)

/** A hexadecimal digit by its code; -1 for what is none. */
export const digitOf = (code: number): number => (code < 128 ? BY_CODE[code]! : -1)
