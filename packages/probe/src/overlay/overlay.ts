/** A small display of frame times on the game's own screen. Needs no server and no probe that records. */
import { FrameMeter, type MeterFigures } from './meter.ts'

export interface OverlayOptions {
  /** Frames a second the game aims for. Default: 60. */
  target?: number
  /** Where on the screen. Default: top-left. */
  corner?: 'top-left' | 'top-right' | 'bottom-left' | 'bottom-right'
  /** What it is put into. Default: the page's body. */
  parent?: HTMLElement
}

const WIDTH = 196
const HEIGHT = 92
const REDRAW_MS = 250
const STRIP = { x: 8, y: 58, width: WIDTH - 16, height: 28 }
/** Where the floor lies in the strip, from its top (0) to its foot (1). */
const FLOOR_AT = 0.55
const COLOURS = { ground: '#f7f3eae6', ink: '#2b2620', faint: '#7d7466', bar: '#54677d', over: '#b3372b' }

export interface Overlay {
  /** Takes a frame's duration, ms: for a game on the page's own thread, as `probe.onFrame`. */
  frame(durationMs: number): void
  /** Shows figures of a game in a worker, from its own FrameMeter. */
  show(figures: MeterFigures): void
  remove(): void
}

export function createOverlay({ target = 60, corner = 'top-left', parent }: OverlayOptions = {}): Overlay {
  const host = document.createElement('div')
  const [vertical, horizontal] = corner.split('-') as [string, string]
  host.style.cssText = `position:fixed;${vertical}:8px;${horizontal}:8px;z-index:2147483647;pointer-events:none`
  host.setAttribute('role', 'img')
  const canvas = document.createElement('canvas')
  const scale = globalThis.devicePixelRatio || 1
  canvas.width = WIDTH * scale
  canvas.height = HEIGHT * scale
  canvas.style.cssText = `width:${WIDTH}px;height:${HEIGHT}px;display:block;border-radius:3px`
  // A shadow root of its own: the game's styles do not reach in, its own do not reach out.
  host.attachShadow({ mode: 'open' }).append(canvas)
  const context = canvas.getContext('2d')!
  context.scale(scale, scale)
  ;(parent ?? document.body).append(host)

  const meter = new FrameMeter()
  const budgetMs = 1000 / target
  let drawnMs = -Infinity
  /** What the overlay itself has cost since the last drawing, and in how many frames. */
  let costMs = 0
  let frames = 0
  let costPerFrameMs = 0

  const show = (figures: MeterFigures) => {
    draw(context, figures, budgetMs, costPerFrameMs)
    host.setAttribute('aria-label', labelOf(figures, budgetMs))
  }
  return {
    frame(durationMs) {
      const startMs = performance.now()
      meter.add(durationMs)
      frames++
      if (startMs - drawnMs >= REDRAW_MS) {
        costPerFrameMs = costMs / frames
        costMs = frames = 0
        drawnMs = startMs
        show(meter.figures(heapBytes()))
      }
      costMs += performance.now() - startMs
    },
    show(figures) {
      const startMs = performance.now()
      show(figures)
      // Drawn a few times a second, so that a frame's share is small.
      const framesBetween = Math.max(1, (figures.fps * REDRAW_MS) / 1000)
      costPerFrameMs = (performance.now() - startMs) / framesBetween
    },
    remove: () => host.remove(),
  }
}

function heapBytes(): number | null {
  const { memory } = performance as { memory?: { usedJSHeapSize: number } }
  return memory?.usedJSHeapSize ?? null
}

const labelOf = ({ fps, frameMs, p99Ms }: MeterFigures, budgetMs: number): string =>
  `${fps.toFixed(0)} frames a second, last ${frameMs.toFixed(1)} ms of ${budgetMs.toFixed(1)}, p99 ${p99Ms.toFixed(1)} ms`

function draw(
  context: CanvasRenderingContext2D,
  { fps, frameMs, p99Ms, latestMs, heapBytes }: MeterFigures,
  budgetMs: number,
  costMs: number,
): void {
  context.clearRect(0, 0, WIDTH, HEIGHT)
  context.fillStyle = COLOURS.ground
  context.fillRect(0, 0, WIDTH, HEIGHT)
  text(context, `${fps.toFixed(0)}`, 8, 20, COLOURS.ink, '600 17px Georgia, serif')
  text(context, 'frames a second', 40, 20, COLOURS.faint)
  const colour = frameMs > budgetMs * 1.05 ? COLOURS.over : COLOURS.ink
  text(context, `${frameMs.toFixed(1)} of ${budgetMs.toFixed(1)} ms`, 8, 36, colour)
  text(context, `p99 ${p99Ms.toFixed(1)} ms`, 112, 36, p99Ms > budgetMs * 1.05 ? COLOURS.over : COLOURS.ink)
  const memory = heapBytes === null ? '' : `heap ${(heapBytes / 1e6).toFixed(1)} MB, `
  text(context, `${memory}overlay ${costMs.toFixed(3)} ms`, 8, 51, COLOURS.faint)
  drawStrip(context, latestMs, budgetMs)
}

/** Frames hang from the strip's top; what falls through the floor is in the alarm colour. */
function drawStrip(context: CanvasRenderingContext2D, latestMs: Float32Array, budgetMs: number): void {
  const { x, y, width, height } = STRIP
  const perMs = (height * FLOOR_AT) / budgetMs
  const bar = width / 60
  latestMs.forEach((ms, i) => {
    const left = x + width - (latestMs.length - i) * bar
    const length = Math.min(height, ms * perMs)
    context.fillStyle = COLOURS.bar
    context.fillRect(left, y, bar - 0.5, Math.min(length, height * FLOOR_AT))
    if (length <= height * FLOOR_AT * 1.05) return
    context.fillStyle = COLOURS.over
    context.fillRect(left, y + height * FLOOR_AT, bar - 0.5, length - height * FLOOR_AT)
  })
  context.fillStyle = COLOURS.ink
  context.fillRect(x, y + height * FLOOR_AT, width, 0.75)
}

function text(
  context: CanvasRenderingContext2D,
  words: string,
  x: number,
  y: number,
  colour: string,
  font = '11px system-ui, sans-serif',
): void {
  context.font = font
  context.fillStyle = colour
  context.fillText(words, x, y)
}
