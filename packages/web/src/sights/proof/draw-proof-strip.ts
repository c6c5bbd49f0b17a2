/** A small strip: frames hang from the top, the floor across, on a scale of its own take. */
import { lengthScale } from '../../strip/geometry.ts'
import type { Frame } from '../forecast/pictures/draw.ts'

const TOP = 16

interface StripData {
  words: string
  workNs: Float64Array
  budgetMs: number
  /** Frames that tell of what is chosen, ascending. */
  lit?: Uint32Array
  /** The one that is looked at; null for none. */
  frame?: number | null
}

export function drawProofStrip(
  { context, width, height, palette }: Frame,
  { words, workNs, budgetMs, lit, frame = null }: StripData,
): void {
  context.fillStyle = palette.leaf
  context.fillRect(0, 0, width, height)
  const budgetNs = budgetMs * 1e6
  const scale = lengthScale(height + 20, budgetNs)
  const lowest = height - TOP - 2
  const columns = Math.min(Math.floor(width), workNs.length)
  for (let column = 0; column < columns; column++) {
    const from = Math.floor((column * workNs.length) / columns)
    const to = Math.max(from + 1, Math.floor(((column + 1) * workNs.length) / columns))
    let worst = 0
    for (let frame = from; frame < to; frame++) worst = Math.max(worst, workNs[frame]!)
    const x = Math.round((column * width) / columns)
    const wide = Math.max(1, Math.round(((column + 1) * width) / columns) - x)
    const tall = Math.min(lowest, worst * scale)
    const floor = Math.min(tall, budgetNs * scale)
    context.fillStyle = palette.work
    context.fillRect(x, TOP, wide, floor)
    if (tall > floor) {
      context.fillStyle = palette.alarm
      context.fillRect(x, TOP + floor, wide, tall - floor)
    }
  }
  const y = Math.round(TOP + budgetNs * scale) + 0.5
  context.strokeStyle = palette.ink
  context.beginPath()
  context.moveTo(0, y)
  context.lineTo(width, y)
  context.stroke()
  context.fillStyle = palette.ink
  context.fillText(words, 8, 8)
  const xOf = (at: number) => ((at + 0.5) * width) / workNs.length
  for (const at of lit ?? []) drawMark(context, Math.round(xOf(at)), height)
  if (frame === null) return
  const x = Math.round(xOf(frame)) + 0.5
  context.beginPath()
  context.moveTo(x, TOP)
  context.lineTo(x, height)
  context.stroke()
}

/** A small peak at the lower edge. */
function drawMark(context: CanvasRenderingContext2D, x: number, height: number): void {
  context.beginPath()
  context.moveTo(x - 3, height)
  context.lineTo(x, height - 6)
  context.lineTo(x + 3, height)
  context.fill()
}
