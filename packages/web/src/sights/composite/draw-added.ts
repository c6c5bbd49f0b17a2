/** What the machine added over a take: above the line it was slower than the middle, below it faster. */
import type { Frame } from '../forecast/pictures/draw.ts'

const TOP = 16

export function drawAdded(
  { context, width, height, palette }: Frame,
  { name, course }: { name: string; course: readonly number[] },
  most: number,
): void {
  context.fillStyle = palette.leaf
  context.fillRect(0, 0, width, height)
  const middle = Math.round((TOP + height) / 2)
  const reach = (height - TOP) / 2 - 2
  course.forEach((value, part) => {
    const x = Math.round((part * width) / course.length)
    const wide = Math.max(1, Math.round(((part + 1) * width) / course.length) - x)
    const tall = most === 0 ? 0 : Math.round((Math.abs(value) / most) * reach)
    context.fillStyle = value > 0 ? palette.work : palette.workSoft
    context.fillRect(x, value > 0 ? middle - tall : middle, wide, tall)
  })
  context.strokeStyle = palette.faint
  context.beginPath()
  context.moveTo(0, middle + 0.5)
  context.lineTo(width, middle + 0.5)
  context.stroke()
  context.fillStyle = palette.ink
  context.fillText(name, 8, 8)
}
