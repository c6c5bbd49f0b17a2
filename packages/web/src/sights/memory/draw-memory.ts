import type { MemoryAnswer } from '@lapsus/core/questions/memory'
import { bytes, ms } from '@lapsus/core/words'
import type { Palette } from '../../components/palette.ts'

const PAUSE_BAND = 34
const TOP = 14

/** The heap as a line, with its limit; below it the pauses, hanging like frames do. */
export function drawHeap(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
  { heap, limitBytes, collections, from }: MemoryAnswer,
  frame: number,
): void {
  const values = heap!
  const bottom = height - PAUSE_BAND
  let most = 0
  for (const value of values) if (value > most) most = value
  // A limit far above would flatten the line; it is told in words then.
  const top = limitBytes !== null && limitBytes < most * 4 ? Math.max(most, limitBytes) : most
  const xOf = (index: number) => (index / values.length) * width
  const yOf = (value: number) => bottom - (value / Math.max(1, top)) * (bottom - TOP)
  context.fillStyle = palette.leaf
  context.fillRect(0, 0, width, height)
  context.fillStyle = palette.wait
  context.beginPath()
  context.moveTo(0, bottom)
  const step = Math.max(1, values.length / width / 2)
  for (let i = 0; i < values.length; i += step) context.lineTo(xOf(i), yOf(values[Math.floor(i)]!))
  context.lineTo(width, bottom)
  context.fill()
  context.strokeStyle = palette.line
  line(context, 0, bottom + 0.5, width, bottom + 0.5)
  if (limitBytes !== null && top === Math.max(most, limitBytes)) {
    context.strokeStyle = palette.alarm
    line(context, 0, yOf(limitBytes), width, yOf(limitBytes))
  }
  let longest = 0
  for (const { pauseMs } of collections) longest = Math.max(longest, pauseMs)
  context.fillStyle = palette.collect
  for (const { frame: at, pauseMs } of collections) {
    const tall = (pauseMs / Math.max(longest, 1e-9)) * (PAUSE_BAND - 4)
    context.fillRect(Math.floor(xOf(at - from)), bottom + 1, Math.max(1, width / values.length), tall)
  }
  context.fillStyle = palette.faint
  context.fillText(`heap, up to ${bytes(Math.round(most))}`, 8, TOP - 4)
  if (longest > 0) {
    context.textAlign = 'right'
    context.fillText(`pauses, up to ${ms(longest)}`, width - 8, height - 8)
    context.textAlign = 'left'
  }
  context.strokeStyle = palette.ink
  line(context, Math.floor(xOf(frame - from)) + 0.5, 0, Math.floor(xOf(frame - from)) + 0.5, height)
}

export function drawInstances(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
  alive: Float64Array,
  grows: boolean,
): void {
  let most = 1
  for (const value of alive) if (value > most) most = value
  context.clearRect(0, 0, width, height)
  context.strokeStyle = grows ? palette.alarm : palette.work
  context.beginPath()
  for (let x = 0; x < width; x++) {
    const value = alive[Math.floor((x / width) * alive.length)] ?? 0
    const y = height - 1 - (value / most) * (height - 2)
    if (x === 0) context.moveTo(x, y)
    else context.lineTo(x, y)
  }
  context.stroke()
}

function line(context: CanvasRenderingContext2D, x1: number, y1: number, x2: number, y2: number): void {
  context.beginPath()
  context.moveTo(x1, y1)
  context.lineTo(x2, y2)
  context.stroke()
}
