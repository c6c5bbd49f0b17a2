import type { TakeMoment, TakeStretch } from '@lapsus/api'
import { sideOf } from '@lapsus/core/study'
import { stripColumns, type FrameColumns } from '@lapsus/core/take'
import type { Palette } from '../components/palette.ts'
import { drawFloor } from '../components/draw-floor.ts'
import type { PlannedFrames } from '../plan/planned-frames.ts'
import type { FrameRange } from '../state/view.ts'
import { FLAGS, FOOT, lengthScale, xOfFrame, type Window } from './geometry.ts'

export interface StripPicture {
  frames: FrameColumns
  moments: TakeMoment[]
  stretches: TakeStretch[]
  window: Window
  budgetMs: number
  /** The frame on the page; null while none is. */
  frame: number | null
  range: FrameRange | null
  /** Frames that a finding points at. */
  lit: readonly number[]
  /** Frames of spikes that the machine made. */
  byMachine: readonly number[]
  /** How fast the machine was; null while that is not known. */
  speed: Pick<MachineSpeed, 'from' | 'blockFrames' | 'slowness'> | null
  /** Work of frames from `from` on as a plan would have it, ns, with the range of their mean; null for none. */
  planned: PlannedFrames | null
}

/** What the diagnosis says of the machine, for frames from `from` on. */
interface MachineSpeed {
  from: number
  blockFrames: number
  slowness: readonly number[]
}

/** The line of a forecast takes steps of this width, px: narrower ones are a scribble over busy frames. */
const STEP = 8
/** Half the width of a wedge, px. */
const WEDGE = 3

/** Frames hang from the top edge; what falls through the floor is in the alarm colour. */
export function drawStrip(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
  picture: StripPicture,
): void {
  context.fillStyle = palette.leaf
  context.fillRect(0, 0, width, height)
  if (picture.range !== null) drawRange(context, width, height, palette, picture, picture.range)
  drawFrames(context, width, height, palette, picture)
  const { budgetMs } = picture
  const floorY = FLAGS + budgetMs * 1e6 * lengthScale(height, budgetMs * 1e6)
  drawFloor(context, width, palette, floorY, budgetMs)
  if (picture.planned !== null) drawForecast(context, width, height, palette, picture, picture.planned)
  drawMachine(context, width, height, palette, picture)
  drawStretches(context, width, height, palette, picture)
  drawMoments(context, width, palette, picture)
  drawLit(context, width, height, palette, picture)
  if (picture.frame !== null) drawCaret(context, width, height, palette, picture.window, picture.frame)
}

/** Wedges at the foot, pointing up at the frames of a finding. */
function drawLit(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
  { window, lit }: StripPicture,
): void {
  context.fillStyle = palette.ink
  for (const frame of lit) {
    const x = xOfFrame(frame + 0.5, window, width)
    context.beginPath()
    context.moveTo(x, height - FOOT)
    context.lineTo(x - WEDGE, height - FOOT + 2 * WEDGE)
    context.lineTo(x + WEDGE, height - FOOT + 2 * WEDGE)
    context.fill()
  }
}

/** Rings at the foot, at spikes that the machine made; and where it was slower or faster, a line that says how much. */
function drawMachine(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
  { window, byMachine, speed }: StripPicture,
): void {
  context.strokeStyle = palette.faint
  context.lineWidth = 1.2
  for (const frame of byMachine) {
    const x = xOfFrame(frame + 0.5, window, width)
    if (x < 0 || x > width) continue
    context.beginPath()
    context.arc(x, height - FOOT - RING - 1, RING, 0, 2 * Math.PI)
    context.stroke()
  }
  context.lineWidth = 1
  if (speed === null) return
  const middleY = height - FOOT - SPEED_HEIGHT
  context.strokeStyle = palette.ink
  context.beginPath()
  let isDown = true
  speed.slowness.forEach((slowness, block) => {
    const from = speed.from + block * speed.blockFrames
    if (sideOf(slowness) === 0) {
      isDown = true
      return
    }
    const y = middleY - Math.max(-1, Math.min(1, Math.log2(slowness))) * SPEED_HEIGHT
    const [left, right] = [xOfFrame(from, window, width), xOfFrame(from + speed.blockFrames, window, width)]
    if (isDown) context.moveTo(left, y)
    else context.lineTo(left, y)
    context.lineTo(right, y)
    isDown = false
  })
  context.stroke()
}

/** Radius of a ring, and half the height of the line of the machine's speed, px. */
const RING = 2.5
const SPEED_HEIGHT = 12

function drawFrames(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
  picture: StripPicture,
): void {
  const { frames, window, budgetMs } = picture
  const budgetNs = budgetMs * 1e6
  const scale = lengthScale(height, budgetNs)
  const lowest = height - FLAGS - FOOT
  const strip = stripColumns(frames, window.from, window.to, width)
  const columns = strip.worstFrame.length
  const columnWidth = width / columns
  const gap = columnWidth >= 5 ? 1 : 0
  for (let column = 0; column < columns; column++) {
    const x = Math.round(column * columnWidth)
    const w = Math.max(1, Math.round((column + 1) * columnWidth) - x - gap)
    const worst = strip.worstFrame[column]!
    const workNs = frames.workNs[worst]!
    const bar = (colour: string, fromNs: number, toNs: number) => {
      const top = Math.min(lowest, fromNs * scale)
      const bottom = Math.min(lowest, toNs * scale)
      if (bottom <= top) return
      context.fillStyle = colour
      context.fillRect(x, FLAGS + top, w, bottom - top)
    }
    bar(palette.wait, 0, frames.durationNs[worst]!)
    bar(palette.workSoft, 0, Math.min(workNs, budgetNs))
    bar(palette.work, 0, Math.min(strip.medianWorkNs[column]!, budgetNs))
    bar(palette.alarm, budgetNs, workNs)
    const collectNs = frames.collectNs[worst]!
    if (collectNs > 0) bar(palette.collect, workNs - collectNs, workNs)
    if (workNs * scale > lowest) {
      // The rest does not fit: a cut end.
      context.fillStyle = palette.leaf
      context.fillRect(x, FLAGS + lowest - 5, w, 2)
    }
  }
}

/**
 * What was forecast, over what was recorded: a line through the middle of every few columns; and where single frames
 * would still fall through the floor, a mark at their depth.
 */
function drawForecast(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
  { window, budgetMs }: StripPicture,
  { from: first, workNs, range }: PlannedFrames,
): void {
  const budgetNs = budgetMs * 1e6
  const scale = lengthScale(height, budgetNs)
  const lowest = height - FLAGS - FOOT
  const from = Math.max(window.from, first)
  const to = Math.min(window.to, first + workNs.length)
  if (to <= from) return
  const xOf = (frame: number) => xOfFrame(frame, window, width)
  const yOf = (ns: number) => FLAGS + Math.min(lowest, ns * scale)
  const steps = Math.min(Math.max(1, Math.floor((xOf(to) - xOf(from)) / STEP)), to - from)
  const edge = (step: number) => from + Math.floor((step * (to - from)) / steps)
  const middles = Array.from({ length: steps }, (_, step) => {
    const some = workNs.slice(edge(step) - first, Math.max(edge(step) + 1, edge(step + 1)) - first).sort()
    return some[some.length >> 1]!
  })
  const along = (factor: number, step: number) => {
    const y = yOf(middles[step]! * factor)
    return [
      [xOf(edge(step)), y],
      [xOf(edge(step + 1)), y],
    ] as const
  }
  if (range !== null) {
    context.beginPath()
    for (let step = 0; step < steps; step++) for (const [x, y] of along(range.low, step)) context.lineTo(x, y)
    for (let step = steps - 1; step >= 0; step--)
      for (const [x, y] of along(range.high, step).toReversed()) context.lineTo(x, y)
    context.globalAlpha = 0.35
    context.fillStyle = palette.leaf
    context.fill()
    context.globalAlpha = 1
  }
  context.beginPath()
  for (let step = 0; step < steps; step++) for (const [x, y] of along(1, step)) context.lineTo(x, y)
  // A light seam keeps the line apart from the bars it crosses.
  context.lineJoin = 'round'
  context.strokeStyle = palette.leaf
  context.lineWidth = 3.5
  context.stroke()
  context.strokeStyle = palette.ink
  context.lineWidth = 1.5
  context.stroke()
  context.lineWidth = 1
  context.fillStyle = palette.ink
  for (let frame = from; frame < to; frame++) {
    const ns = workNs[frame - first]!
    if (ns <= budgetNs) continue
    context.fillRect(
      Math.round(xOf(frame)) - 1,
      yOf(ns) - 1,
      Math.max(4, width / (window.to - window.from)),
      2,
    )
  }
}

function drawRange(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
  { window }: StripPicture,
  range: FrameRange,
): void {
  const left = Math.max(0, xOfFrame(range.from, window, width))
  const right = Math.min(width, xOfFrame(range.to + 1, window, width))
  if (right <= left) return
  context.fillStyle = palette.pick
  context.fillRect(left, 0, Math.max(2, right - left), height)
}

/** Where a kept stretch begins there is time missing before it. */
function drawStretches(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
  { stretches, window }: StripPicture,
): void {
  context.strokeStyle = palette.faint
  context.setLineDash([3, 3])
  for (const { firstFrame } of stretches) {
    const x = Math.round(xOfFrame(firstFrame, window, width)) + 0.5
    if (x < 0 || x > width) continue
    context.beginPath()
    context.moveTo(x, 0)
    context.lineTo(x, height)
    context.stroke()
  }
  context.setLineDash([])
}

function drawMoments(
  context: CanvasRenderingContext2D,
  width: number,
  palette: Palette,
  picture: StripPicture,
): void {
  const { moments, window } = picture
  let freeFrom = -Infinity
  for (const { name, frame } of moments) {
    const x = Math.round(xOfFrame(frame + 0.5, window, width))
    if (x < 0 || x > width) continue
    context.strokeStyle = palette.faint
    context.beginPath()
    context.moveTo(x + 0.5, 3)
    context.lineTo(x + 0.5, FLAGS)
    context.stroke()
    context.fillStyle = palette.faint
    context.beginPath()
    context.moveTo(x + 1, 3)
    context.lineTo(x + 8, 6)
    context.lineTo(x + 1, 9)
    context.fill()
    const textWidth = context.measureText(name).width
    // At the right end there is room only on the pole's other side.
    const textX = x + 11 + textWidth > width ? x - textWidth - 5 : x + 11
    if (textX < freeFrom) continue
    context.fillText(name, textX, 9)
    freeFrom = Math.max(x + 10, textX + textWidth + 8)
  }
}

function drawCaret(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
  window: Window,
  frame: number,
): void {
  if (frame < window.from || frame >= window.to) return
  const left = xOfFrame(frame, window, width)
  const middle = xOfFrame(frame + 0.5, window, width)
  const right = xOfFrame(frame + 1, window, width)
  context.strokeStyle = palette.ink
  context.lineWidth = 1
  if (right - left >= 6)
    context.strokeRect(Math.round(left) - 0.5, FLAGS - 0.5, Math.round(right - left), height - FLAGS - FOOT)
  context.beginPath()
  context.moveTo(Math.round(middle) + 0.5, FLAGS)
  context.lineTo(Math.round(middle) + 0.5, height - FOOT)
  if (right - left < 6) context.stroke()
  const label = `frame ${frame}`
  const textWidth = context.measureText(label).width
  const x = Math.min(width - textWidth - 4, Math.max(4, middle - textWidth / 2))
  context.fillStyle = palette.ink
  context.fillText(label, x, height - FOOT / 2)
}
