/** What the pictures of remedies have in common. Lengths in CSS pixels. */
import type { Palette } from '../../../components/palette.ts'

export const LEFT = 56
const RIGHT = 12
export const TOP = 22
export const BOTTOM = 18

export interface Frame {
  context: CanvasRenderingContext2D
  width: number
  height: number
  palette: Palette
}

/** Where something is drawn. */
export interface Place {
  x: number
  y: number
  width: number
  height: number
}

/** Clears the ground; gives the place that is left for the picture. */
export function ground({ context, width, height, palette }: Frame): Place {
  context.fillStyle = palette.leaf
  context.fillRect(0, 0, width, height)
  context.textAlign = 'left'
  context.lineWidth = 1
  return {
    x: LEFT,
    y: TOP,
    width: Math.max(1, width - LEFT - RIGHT),
    height: Math.max(1, height - TOP - BOTTOM),
  }
}

/** A line through the largest value of each column, so that no peak is lost. */
export function peaks(
  { context }: Frame,
  values: Float64Array,
  place: Place,
  most: number,
  filled: boolean,
): void {
  const { x, y, width, height } = place
  const columns = Math.min(Math.floor(width), values.length)
  context.beginPath()
  if (filled) context.moveTo(x, y + height)
  for (let column = 0; column < columns; column++) {
    const from = Math.floor((column * values.length) / columns)
    const to = Math.max(from + 1, Math.floor(((column + 1) * values.length) / columns))
    let peak = 0
    for (let i = from; i < to; i++) peak = Math.max(peak, values[i]!)
    const left = x + (column * width) / columns
    const top = y + height - (peak / most) * height
    context.lineTo(left, top)
    context.lineTo(left + width / columns, top)
  }
  if (filled) {
    context.lineTo(x + width, y + height)
    context.fill()
  } else context.stroke()
}

/** Words at the left edge, at the height of a value. */
export function leftLabel({ context, palette }: Frame, text: string, y: number): void {
  context.fillStyle = palette.faint
  context.textAlign = 'right'
  context.fillText(text, LEFT - 6, y)
  context.textAlign = 'left'
}

/** A row of names, each with the stroke or fill it stands for. */
export function legend(
  { context, palette }: Frame,
  entries: { words: string; colour: string; line?: boolean | undefined }[],
): void {
  let x = LEFT
  for (const { words, colour, line } of entries) {
    context.fillStyle = context.strokeStyle = colour
    if (line === true) {
      context.lineWidth = 1.5
      context.beginPath()
      context.moveTo(x, 11)
      context.lineTo(x + 14, 11)
      context.stroke()
      context.lineWidth = 1
    } else context.fillRect(x, 6, 14, 9)
    context.fillStyle = palette.ink
    context.fillText(words, x + 19, 11)
    x += 19 + context.measureText(words).width + 18
  }
}

export function footLine({ context, palette, height }: Frame, text: string): void {
  context.fillStyle = palette.faint
  context.fillText(text, LEFT, height - BOTTOM / 2)
}
