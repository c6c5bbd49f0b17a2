/** Lines between two strips, from frame to frame where they match. */
import type { Frame } from '../sights/forecast/pictures/draw.ts'
import type { Join } from './comparer.ts'

interface JoinsData {
  joins: readonly Join[]
  frames: { before: number; after: number }
  /** The pair that is looked at. */
  chosen: { before: number; after: number } | null
}

const GAP = 8

export function drawJoins({ context, width, height, palette }: Frame, { joins, frames, chosen }: JoinsData) {
  context.fillStyle = palette.paper
  context.fillRect(0, 0, width, height)
  const xOf = (at: number, count: number) => Math.round(((at + 0.5) * width) / Math.max(1, count)) + 0.5
  const line = ({ before, after }: { before: number; after: number }) => {
    context.beginPath()
    context.moveTo(xOf(before, frames.before), 0)
    context.lineTo(xOf(after, frames.after), height)
    context.stroke()
  }
  context.strokeStyle = palette.faint
  context.fillStyle = palette.faint
  let free = 0
  for (const join of joins) {
    line(join)
    const x = Math.max(xOf(join.before, frames.before), xOf(join.after, frames.after)) + 4
    if (x < free) continue
    context.fillText(join.name, x, height / 2)
    free = x + context.measureText(join.name).width + GAP
  }
  if (chosen === null) return
  context.strokeStyle = palette.ink
  line(chosen)
}
