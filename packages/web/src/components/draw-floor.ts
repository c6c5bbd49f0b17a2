import { ms } from '@lapsus/core/words'
import type { Palette } from './palette.ts'

/** The floor: a line across the picture at `y`, with the budget written below its right end. */
export function drawFloor(
  context: CanvasRenderingContext2D,
  width: number,
  palette: Palette,
  y: number,
  budgetMs: number,
): void {
  const line = Math.round(y) + 0.5
  context.strokeStyle = palette.ink
  context.beginPath()
  context.moveTo(0, line)
  context.lineTo(width, line)
  context.stroke()
  const label = `floor ${ms(budgetMs)}`
  const textWidth = context.measureText(label).width
  context.fillStyle = palette.leaf
  context.fillRect(width - textWidth - 12, line + 2, textWidth + 10, 16)
  context.fillStyle = palette.ink
  context.fillText(label, width - textWidth - 7, line + 10)
}
