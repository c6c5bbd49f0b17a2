/** Small pictures, made by hand from what their formats say. */
const bytesOf = (text: string) => Uint8Array.from(text, (letter) => letter.charCodeAt(0))
const joined = (...parts: (Uint8Array | number[] | string)[]) =>
  Uint8Array.from(parts.flatMap((part) => [...(typeof part === 'string' ? bytesOf(part) : part)]))
const be = (value: number, bytes: number) =>
  Array.from({ length: bytes }, (_, i) => (value >>> (8 * (bytes - 1 - i))) & 255)
const le = (value: number, bytes: number) => be(value, bytes).reverse()

export const png = (width: number, height: number, more = 0): Uint8Array =>
  joined(
    '\x89PNG\r\n\x1a\n',
    be(13, 4),
    'IHDR',
    be(width, 4),
    be(height, 4),
    [8, 2, 0, 0, 0],
    new Uint8Array(more),
  )
/** With a segment before the one that tells the size. */
export const jpeg = (width: number, height: number): Uint8Array =>
  joined(
    [0xff, 0xd8, 0xff, 0xe0],
    be(6, 2),
    'JFIF',
    [0xff, 0xc2],
    be(11, 2),
    [8],
    be(height, 2),
    be(width, 2),
    [1, 0, 0, 0],
  )
const webp = (chunk: string, body: number[]) => joined('RIFF', le(22, 4), 'WEBP', chunk, le(10, 4), body)
export const webpLossy = (width: number, height: number): Uint8Array =>
  webp('VP8 ', [0, 0, 0, 0x9d, 0x01, 0x2a, ...le(width, 2), ...le(height, 2)])
export const webpLossless = (width: number, height: number): Uint8Array =>
  webp('VP8L', [0x2f, ...le(((height - 1) << 14) | (width - 1), 4), 0, 0])
export const webpExtended = (width: number, height: number): Uint8Array =>
  webp('VP8X', [0, 0, 0, 0, ...le(width - 1, 3), ...le(height - 1, 3)])
