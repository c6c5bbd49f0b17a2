/** What kind of picture some bytes are, and how large: read from their head, as far as takes hold such. */
export interface PictureHead {
  type: (typeof PICTURE_TYPES)[number]
  width: number
  height: number
}
export const PICTURE_TYPES = ['image/png', 'image/jpeg', 'image/webp'] as const

/** Null for what is none of these, or breaks off in its head. */
export function pictureHead(bytes: Uint8Array): PictureHead | null {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  try {
    return pngHead(view) ?? jpegHead(view) ?? webpHead(view)
  } catch (error) {
    if (error instanceof RangeError) return null
    throw error
  }
}

/** Signature, then the chunk IHDR (ISO/IEC 15948). */
function pngHead(view: DataView): PictureHead | null {
  if (
    view.getUint32(0) !== 0x89504e47 ||
    view.getUint32(4) !== 0x0d0a1a0a ||
    view.getUint32(12) !== 0x49484452
  )
    return null
  return { type: 'image/png', width: view.getUint32(16), height: view.getUint32(20) }
}

/** Segments until the one that begins the frame, SOF (ISO/IEC 10918-1). */
function jpegHead(view: DataView): PictureHead | null {
  if (view.getUint16(0) !== 0xffd8) return null
  for (let at = 2; ;) {
    if (view.getUint8(at) !== 0xff) return null
    const marker = view.getUint8(at + 1)
    const isFrame = marker >= 0xc0 && marker <= 0xcf && ![0xc4, 0xc8, 0xcc].includes(marker)
    if (isFrame) return { type: 'image/jpeg', width: view.getUint16(at + 7), height: view.getUint16(at + 5) }
    // Behind it are the scans: there was none.
    if (marker === 0xda || marker === 0xd9) return null
    at += 2 + view.getUint16(at + 2)
  }
}

/** RIFF with VP8, VP8L or VP8X (RFC 9649). */
function webpHead(view: DataView): PictureHead | null {
  if (view.getUint32(0) !== 0x52494646 || view.getUint32(8) !== 0x57454250) return null
  const sized = (width: number, height: number): PictureHead => ({ type: 'image/webp', width, height })
  switch (view.getUint32(12)) {
    case 0x56503820:
      return sized(view.getUint16(26, true) & 0x3fff, view.getUint16(28, true) & 0x3fff)
    case 0x5650384c: {
      const bits = view.getUint32(21, true)
      return sized((bits & 0x3fff) + 1, ((bits >>> 14) & 0x3fff) + 1)
    }
    case 0x56503858: {
      const whole = (at: number) => view.getUint16(at, true) + (view.getUint8(at + 2) << 16) + 1
      return sized(whole(24), whole(27))
    }
    default:
      return null
  }
}
