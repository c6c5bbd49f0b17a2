import {
  BarController,
  BarElement,
  Chart as ChartJs,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  ScatterController,
  Tooltip,
  type ChartConfiguration,
} from 'chart.js'
import { useEffect, useRef } from 'react'
import { chartDefaults } from './look.ts'
import { usePalette, type Palette } from './palette.ts'
import { useShownPicture } from './shown.tsx'

ChartJs.register(
  BarController,
  BarElement,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  ScatterController,
  Tooltip,
)

interface ChartProps {
  label: string
  /** Must be stable while nothing changes: a new one draws the chart anew. */
  configure(palette: Palette): ChartConfiguration
}

/** A chart in the colours of the page. */
export function Chart({ label, configure }: ChartProps) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const palette = usePalette()
  useEffect(() => {
    ChartJs.defaults.set(chartDefaults(palette))
    const chart = new ChartJs(canvas.current!, configure(palette))
    return () => chart.destroy()
  }, [configure, palette])
  useShownPicture(label, canvas, async () => {
    const { chartSvg } = await import('./picture-svg.ts')
    const { clientWidth, clientHeight } = canvas.current!
    return chartSvg(configure(palette), clientWidth, clientHeight, palette)
  })
  return <canvas ref={canvas} role="img" aria-label={label} />
}
