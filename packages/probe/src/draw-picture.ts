/** A small picture of a canvas, as a page can make one. */

/**
 * Draws a source so small, and hands over what that is as a file, later; null where it cannot be done.
 * @param width at most, in pixels
 */
export type PictureDrawer = (source: unknown, width: number, keep: (bytes: Uint8Array | null) => void) => void

/** Where pictures cannot be drawn, only the bytes of one can be given. */
export const noDrawing: PictureDrawer = (_source, _width, keep) => keep(null)

/** Draws and packs in a thread of its own: without a graphics card either takes longer than a frame. */
const PACKER = `onmessage = async ({ data: { still, width, height, number } }) => {
  let bytes = null
  try {
    const small = new OffscreenCanvas(width, height)
    small.getContext('2d').drawImage(still, 0, 0, width, height)
    const blob = await small.convertToBlob({ type: 'image/webp', quality: 0.6 })
    bytes = new Uint8Array(await blob.arrayBuffer())
  } catch {}
  still.close()
  postMessage({ number, bytes })
}`

let packer: Worker | null = null
/** The page does not let it be, as its policy on content may say. */
let isRefused = false
/** Who waits for what the thread has in hand, by number. */
const waiting = new Map<number, (bytes: Uint8Array | null) => void>()
let count = 0

/** Begun with the first picture. */
function thePacker(): Worker {
  if (packer !== null) return packer
  packer = new Worker(URL.createObjectURL(new Blob([PACKER], { type: 'text/javascript' })))
  packer.onmessage = ({ data }: MessageEvent<{ number: number; bytes: Uint8Array | null }>) =>
    settle(data.number, data.bytes)
  packer.onerror = () => {
    isRefused = true
    for (const number of [...waiting.keys()]) settle(number, null)
  }
  return packer
}

function settle(number: number, bytes: Uint8Array | null): void {
  const keep = waiting.get(number)
  waiting.delete(number)
  keep?.(bytes)
}

/** Only a copy of the source is made at once, since it is another a moment later. */
export const drawInPage: PictureDrawer = (source, most, keep) => {
  const { width, height } = source as { width: number; height: number }
  if (isRefused || !(width > 0 && height > 0)) return keep(null)
  const scale = Math.min(1, most / width)
  const size = {
    width: Math.max(1, Math.round(width * scale)),
    height: Math.max(1, Math.round(height * scale)),
  }
  const number = count++
  waiting.set(number, keep)
  createImageBitmap(source as ImageBitmapSource)
    .then((still) => thePacker().postMessage({ still, number, ...size }, [still]))
    .catch(() => settle(number, null))
}
