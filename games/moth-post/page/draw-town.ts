import { TOWN } from '../src/town.ts'
import type { Picture } from './messages.ts'

/** Draws the town, simply: lanterns as glows, moths as wings, roosting ones grey. */
export function drawTown(canvas: HTMLCanvasElement, { lanterns, moths }: Picture): void {
  const side = canvas.clientHeight * devicePixelRatio
  if (canvas.width !== side) canvas.width = canvas.height = side
  const context = canvas.getContext('2d')!
  const scale = side / TOWN
  context.fillStyle = '#181b23'
  context.fillRect(0, 0, side, side)
  for (let i = 0; i < lanterns.length; i += 3) {
    const [x, y, glow] = [lanterns[i]! * scale, lanterns[i + 1]! * scale, lanterns[i + 2]!]
    context.fillStyle = `rgba(227, 176, 75, ${0.08 * glow})`
    circle(context, x, y, 9 * scale)
    context.fillStyle = '#e3b04b'
    circle(context, x, y, 1.4 * scale)
  }
  for (let i = 0; i < moths.length; i += 3) {
    const [x, y, state] = [moths[i]! * scale, moths[i + 1]! * scale, moths[i + 2]!]
    context.fillStyle = state < 0 ? '#596070' : '#e9e3d5'
    const wing = 3.2 * scale
    context.beginPath()
    context.moveTo(x, y)
    context.lineTo(x - wing, y - wing * 0.8)
    context.lineTo(x - wing * 0.6, y + wing * 0.6)
    context.lineTo(x, y)
    context.lineTo(x + wing, y - wing * 0.8)
    context.lineTo(x + wing * 0.6, y + wing * 0.6)
    context.fill()
    if (state <= 0) continue
    context.fillStyle = '#d7c9a7'
    context.fillRect(x - wing * 0.4, y + wing * 0.5, wing * 0.8, wing * 0.5)
  }
}

function circle(context: CanvasRenderingContext2D, x: number, y: number, radius: number): void {
  context.beginPath()
  context.arc(x, y, radius, 0, Math.PI * 2)
  context.fill()
}
