import { useEffect, useRef, useState, type HTMLAttributes, type RefObject } from 'react'
import { FONT_FAMILY, FONT_PX } from './look.ts'
import { usePalette, type Palette } from './palette.ts'
import { useShownPicture } from './shown.tsx'

const FONT = `${FONT_PX}px ${FONT_FAMILY}`

/** Draws in CSS pixels; width and height are those of the element. */
export type Draw = (
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  palette: Palette,
) => void

interface CanvasProps extends HTMLAttributes<HTMLCanvasElement> {
  draw: Draw
  ref?: RefObject<HTMLCanvasElement | null>
  onResized?(width: number, height: number): void
}

/** A canvas as large as its parent, redrawn when its size, its colours or `draw` change. */
export function Canvas({ draw, ref, onResized, ...rest }: CanvasProps) {
  const own = useRef<HTMLCanvasElement>(null)
  const canvas = ref ?? own
  const [size, setSize] = useState({ width: 0, height: 0 })
  const palette = usePalette()
  const typefaces = useTypefaces()

  useEffect(() => {
    const parent = canvas.current!.parentElement!
    const observer = new ResizeObserver(([entry]) => {
      const { width, height } = entry!.contentRect
      setSize({ width: Math.floor(width), height: Math.floor(height) })
      onResized?.(Math.floor(width), Math.floor(height))
    })
    observer.observe(parent)
    return () => observer.disconnect()
  }, [canvas, onResized])

  useEffect(() => {
    if (size.width === 0 || size.height === 0) return
    const request = requestAnimationFrame(() => {
      const element = canvas.current
      if (element === null) return
      const scale = window.devicePixelRatio
      element.width = Math.round(size.width * scale)
      element.height = Math.round(size.height * scale)
      const context = element.getContext('2d')!
      context.scale(scale, scale)
      context.font = FONT
      context.textBaseline = 'middle'
      const startMs = performance.now()
      draw(context, size.width, size.height, palette)
      element.dataset['drawMs'] = (performance.now() - startMs).toFixed(2)
    })
    return () => cancelAnimationFrame(request)
  }, [canvas, draw, palette, size, typefaces])

  useShownPicture(rest['aria-label'], canvas, async () => {
    const { drawnSvg } = await import('./picture-svg.ts')
    return drawnSvg(draw, size.width, size.height, palette)
  })

  return (
    <canvas
      ref={canvas}
      style={{ width: size.width, height: size.height }}
      className="block touch-none"
      {...rest}
    />
  )
}

/** How many times typefaces have come: what was drawn before is drawn anew. */
function useTypefaces(): number {
  const [times, setTimes] = useState(0)
  useEffect(() => {
    const came = () => setTimes((before) => before + 1)
    document.fonts.addEventListener('loadingdone', came)
    return () => document.fonts.removeEventListener('loadingdone', came)
  }, [])
  return times
}
