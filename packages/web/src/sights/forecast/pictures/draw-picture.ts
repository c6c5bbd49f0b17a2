/** Draws the picture of a remedy, whichever it is: it says itself what is to be seen (core/remedy/picture). */
import type { BarPanel, CurvePanel, LanePanel, LengthPanel, Panel, Picture, Tone } from '@lapsus/core/remedy'
import type { Palette } from '../../../components/palette.ts'
import {
  BOTTOM,
  footLine,
  ground,
  LEFT,
  leftLabel,
  legend,
  peaks,
  TOP,
  type Frame,
  type Place,
} from './draw.ts'

const GAP = 14
const COLOURS: Record<Tone, keyof Palette> = {
  work: 'work',
  'work-soft': 'workSoft',
  wait: 'wait',
  ink: 'ink',
  faint: 'faint',
}

export function drawPicture(frame: Frame, picture: Picture): void {
  const whole = ground(frame)
  const { panels } = picture
  const height = (whole.height - GAP * (panels.length - 1)) / panels.length
  panels.forEach((panel, i) => drawPanel(frame, panel, { ...whole, height, y: whole.y + i * (height + GAP) }))
  legend(
    frame,
    picture.legend.map(({ words, tone, isLine }) => ({ words, colour: colourOf(frame, tone), line: isLine })),
  )
  footLine(frame, picture.foot)
}

const colourOf = ({ palette }: Frame, tone: Tone): string => palette[COLOURS[tone]]

function drawPanel(frame: Frame, panel: Panel, place: Place): void {
  switch (panel.form) {
    case 'curves':
      return drawCurves(frame, panel, place)
    case 'bars':
      return drawBars(frame, panel, place)
    case 'lanes':
      return drawLanes(frame, panel, place)
    case 'lengths':
      return drawLengths(frame, panel)
  }
}

function drawCurves(frame: Frame, { curves, labels, most }: CurvePanel, place: Place): void {
  const { context } = frame
  for (const { values, tone, as } of curves) {
    context.fillStyle = context.strokeStyle = colourOf(frame, tone)
    context.lineWidth = as === 'line' ? 1.5 : 1
    peaks(frame, values, place, most, as === 'area')
  }
  context.lineWidth = 1
  for (const { at, words } of labels) {
    // The uppermost stays on the canvas.
    leftLabel(frame, words, Math.max(place.y + 8, place.y + place.height - (at / most) * place.height))
  }
}

function drawBars(frame: Frame, { values, tone, labels, line, most }: BarPanel, place: Place): void {
  const { context, palette } = frame
  context.fillStyle = colourOf(frame, tone)
  const wide = place.width / values.length
  values.forEach((value, i) => {
    const tall = (value / most) * place.height
    if (tall > 0) context.fillRect(place.x + i * wide, place.y, Math.max(1, wide - (wide > 4 ? 1 : 0)), tall)
  })
  context.strokeStyle = palette.line
  context.strokeRect(place.x - 0.5, place.y - 0.5, place.width, place.height)
  labels.forEach((words, i) => leftLabel(frame, words, place.y + 8 + 16 * i))
  if (line === undefined) return
  context.strokeStyle = colourOf(frame, line.tone)
  context.setLineDash([4, 3])
  strokeAcross(context, place.x, place.x + place.width, place.y + (line.at / most) * place.height)
  context.setLineDash([])
}

function drawLanes(frame: Frame, { lanes, line, labels, most }: LanePanel, place: Place): void {
  const { context, palette } = frame
  const yOf = (at: number) => place.y + (at / most) * place.height
  const wide = Math.min(150, (place.width - 8) / lanes.length - 8)
  const xOf = (lane: number) => place.x + lane * (wide + 8)
  lanes.forEach(({ blocks }, lane) => {
    for (const { from, to, tone } of blocks) {
      context.fillStyle = colourOf(frame, tone)
      const tall = yOf(to) - yOf(from)
      context.fillRect(xOf(lane), yOf(from), wide, Math.max(0.5, tall - (tall > 3 ? 1 : 0)))
    }
  })
  context.strokeStyle = palette.ink
  context.lineWidth = 1.5
  strokeAcross(context, place.x - 4, xOf(lanes.length) - 4, yOf(line.at))
  context.lineWidth = 1
  context.fillStyle = palette.ink
  lanes.forEach(({ name }, lane) => context.fillText(name, xOf(lane), TOP / 2, wide))
  leftLabel(frame, line.words, yOf(line.at))
  for (const { at, words } of labels)
    if (Math.abs(yOf(at) - yOf(line.at)) > 14) leftLabel(frame, words, yOf(at))
}

function strokeAcross(context: CanvasRenderingContext2D, from: number, to: number, y: number): void {
  context.beginPath()
  context.moveTo(from, y)
  context.lineTo(to, y)
  context.stroke()
}

/** Room for the words behind the longest. */
const WORDS_WIDE = 190

function drawLengths(frame: Frame, { rows, most }: LengthPanel): void {
  const { context, palette, width, height } = frame
  const tall = (height - TOP - 4 - BOTTOM) / rows.length
  rows.forEach(({ words, lengths }, i) => {
    const y = TOP + i * tall
    context.fillStyle = palette.ink
    context.fillText(words, LEFT, y + 6)
    lengths.forEach(({ value, tone, words: label }, k) => {
      const at = y + 15 + 14 * k
      const wide = (value / most) * (width - LEFT - 12 - WORDS_WIDE)
      context.fillStyle = colourOf(frame, tone)
      context.fillRect(LEFT, at, Math.max(1, wide), 11)
      context.fillStyle = palette.faint
      context.fillText(label, LEFT + wide + 8, at + 6)
    })
  })
}
