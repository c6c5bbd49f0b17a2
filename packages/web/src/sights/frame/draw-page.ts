import type { PageAnswer } from '@lapsus/core/questions/page'
import { MAIN_LANE } from '@lapsus/core/take'
import type { Palette } from '../../components/palette.ts'
import { drawFloor } from '../../components/draw-floor.ts'
import { ms } from '@lapsus/core/words'
import type { OpenTake } from '../../state/take.ts'
import { AXIS, HEAD, THIN, type PageBox, type PageLayout, type PageScale } from './layout.ts'

export interface PagePicture {
  page: PageAnswer
  take: OpenTake
  layout: PageLayout
  scale: PageScale
  budgetMs: number
  /** The chosen path, and the ones above and below it are left as they are. */
  path: number | null
  /** By path: its self time beyond that of the frame compared with, ns; null while nothing is compared. */
  excess: ReadonlyMap<number, number> | null
  hovered: PageBox | null
}

/** Self time, as a share of the budget, from which a block is in full ink. */
const FULL_INK = 0.25
const INK_LEAST = 0.16
const PADDING = 6

export const nameOf = ({ paths, markers }: OpenTake, path: number): string =>
  markers.get(paths.get(path).marker)!.name

/** What a block says: one line, or two where there is room. */
export function labelsOf(take: OpenTake, box: PageBox): [string, string] {
  const name = nameOf(take, box.path)
  const time = ms(box.totalNs / 1e6)
  if (box.runs === 1) return [name, time]
  const what = box.alike ? `${box.runs} × ${name}` : `${box.runs} runs`
  const inside =
    box.mostly === null || (box.alike && box.mostly.path === box.path)
      ? ''
      : `, mostly ${nameOf(take, box.mostly.path)}`
  return [what + inside, time]
}

export function drawPage(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
  picture: PagePicture,
): void {
  const { layout, scale, page, budgetMs } = picture
  const yOf = (ns: number) => HEAD + (ns - scale.topNs) / scale.nsPerPx
  context.fillStyle = palette.leaf
  context.fillRect(0, 0, width, height)
  context.save()
  context.beginPath()
  context.rect(0, HEAD, width, height - HEAD)
  context.clip()
  drawAxis(context, width, height, palette, scale)
  drawFrameExtent(context, palette, layout, yOf(0), yOf(page.durationNs))
  for (const box of layout.boxes) drawBox(context, palette, picture, box, false)
  const floorY = yOf(budgetMs * 1e6)
  context.save()
  context.beginPath()
  context.rect(0, Math.max(HEAD, floorY), width, height)
  context.clip()
  for (const box of layout.boxes)
    if (box.y + box.height > floorY) drawBox(context, palette, picture, box, true)
  context.restore()
  drawFloor(context, width, palette, floorY, budgetMs)
  context.restore()
  drawHeads(context, width, palette, layout)
}

function drawAxis(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
  scale: PageScale,
): void {
  const stepNs = tickStep(scale.nsPerPx * 56)
  context.strokeStyle = palette.line
  context.fillStyle = palette.faint
  context.textAlign = 'right'
  const firstTick = Math.max(0, Math.ceil(scale.topNs / stepNs)) * stepNs
  for (let ns = firstTick; ; ns += stepNs) {
    const y = Math.round(HEAD + (ns - scale.topNs) / scale.nsPerPx) + 0.5
    if (y > height) break
    context.beginPath()
    context.moveTo(AXIS - 6, y)
    context.lineTo(width, y)
    context.stroke()
    context.fillText(tickLabel(ns, stepNs), AXIS - 9, Math.max(HEAD + 8, y))
  }
  context.textAlign = 'left'
}

/** 1, 2 or 5 times a power of ten, at least as long as asked for. */
function tickStep(leastNs: number): number {
  const power = 10 ** Math.floor(Math.log10(Math.max(1, leastNs)))
  return [1, 2, 5, 10].map((factor) => factor * power).find((step) => step >= leastNs)!
}

function tickLabel(ns: number, stepNs: number): string {
  if (ns === 0) return '0 ms'
  return (ns / 1e6).toFixed(Math.max(0, -Math.floor(Math.log10(stepNs / 1e6) + 1e-9)))
}

function drawFrameExtent(
  context: CanvasRenderingContext2D,
  palette: Palette,
  { lanes }: PageLayout,
  top: number,
  bottom: number,
): void {
  context.fillStyle = palette.paper
  for (const { x, width } of lanes) context.fillRect(x, top, width, bottom - top)
}

function drawBox(
  context: CanvasRenderingContext2D,
  palette: Palette,
  picture: PagePicture,
  box: PageBox,
  beyondFloor: boolean,
): void {
  const { take, budgetMs, path, hovered } = picture
  const isWait = box.kind.startsWith('wait:')
  if (beyondFloor && (isWait || box.lane !== MAIN_LANE)) return
  const x = Math.round(box.x)
  const y = Math.round(box.y)
  const w = Math.round(box.x + box.width) - x - 1
  const h = Math.max(1, Math.round(box.y + box.height) - y - (box.height > 3 ? 1 : 0))
  const chosen = path !== null && box.alike && box.path === path
  const inside = path !== null && !chosen && box.runs > 1 && box.mostly?.path === path
  const share = Math.min(1, inkNs(picture, box) / (budgetMs * 1e6 * FULL_INK))
  const ink = INK_LEAST + (0.9 - INK_LEAST) * share

  context.fillStyle = palette.leaf
  context.fillRect(x, y, w, h)
  context.globalAlpha = isWait ? 1 : box.kind === 'collect' ? 0.85 : ink
  context.fillStyle = beyondFloor
    ? palette.alarm
    : isWait
      ? palette.wait
      : box.kind === 'collect'
        ? palette.collect
        : palette.work
  context.fillRect(x, y, w, h)
  context.globalAlpha = 1
  if (box.runs > 1 && h >= 6) drawGatheredEdge(context, palette, x + w, y, h)
  if (chosen || inside || box === hovered) {
    context.strokeStyle = palette.ink
    context.lineWidth = chosen ? 2 : 1
    context.strokeRect(x + 0.5, y + 0.5, w - 1, Math.max(1, h - 1))
    context.lineWidth = 1
    if (chosen) {
      context.fillStyle = palette.pick
      context.fillRect(x + 1, y + 1, 4, Math.max(1, h - 2))
    }
  }
  if (h >= THIN - 2) {
    context.fillStyle = !isWait && ink > 0.5 ? palette.leaf : palette.ink
    drawLabels(context, labelsOf(take, box), x + (chosen ? 4 : 0), y, w, h)
  }
}

/** The time that a block's ink stands for: its own, or what its path has more than in the frame compared with. */
function inkNs({ excess }: PagePicture, box: PageBox): number {
  const mostly = box.runs > 1 ? box.mostly : null
  if (excess === null) return mostly !== null ? box.totalNs : box.selfNs
  return excess.get(mostly?.path ?? box.path) ?? 0
}

/** Teeth at the right edge: this block is many runs. */
function drawGatheredEdge(
  context: CanvasRenderingContext2D,
  palette: Palette,
  right: number,
  y: number,
  h: number,
): void {
  context.fillStyle = palette.leaf
  for (let at = y + 2; at < y + h - 1; at += 4) context.fillRect(right - 5, at, 5, 1)
}

/** The label stays in sight while a part of its block is. */
function drawLabels(
  context: CanvasRenderingContext2D,
  [name, time]: [string, string],
  x: number,
  y: number,
  w: number,
  h: number,
): void {
  const top = Math.max(y, HEAD)
  const room = y + h - top
  if (room < THIN - 2) return
  const textX = x + PADDING
  const space = w - 2 * PADDING
  const line = top + Math.min(room / 2, 9)
  const timeWidth = context.measureText(time).width
  const nameWidth = context.measureText(name).width
  if (nameWidth + timeWidth + 8 <= space) {
    context.fillText(name, textX, line)
    context.globalAlpha *= 0.75
    context.fillText(time, textX + nameWidth + 8, line)
    context.globalAlpha = 1
    return
  }
  context.fillText(fitted(context, name, space), textX, line)
  if (room >= 30 && timeWidth <= space) {
    context.globalAlpha *= 0.75
    context.fillText(time, textX, line + 15)
    context.globalAlpha = 1
  }
}

/** The text, shortened with an ellipsis until it fits. */
function fitted(context: CanvasRenderingContext2D, text: string, space: number): string {
  if (context.measureText(text).width <= space) return text
  let length = Math.max(0, Math.floor((space / context.measureText(text).width) * text.length))
  while (length > 0 && context.measureText(`${text.slice(0, length)}…`).width > space) length--
  return length > 1 ? `${text.slice(0, length)}…` : ''
}

function drawHeads(
  context: CanvasRenderingContext2D,
  width: number,
  palette: Palette,
  { lanes }: PageLayout,
): void {
  context.fillStyle = palette.leaf
  context.fillRect(0, 0, width, HEAD)
  context.fillStyle = palette.faint
  for (const lane of lanes) context.fillText(fitted(context, lane.name, lane.width), lane.x + 2, HEAD / 2)
  context.strokeStyle = palette.line
  context.beginPath()
  context.moveTo(0, HEAD - 0.5)
  context.lineTo(width, HEAD - 0.5)
  context.stroke()
}
