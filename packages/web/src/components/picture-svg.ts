/** Pictures as SVG: drawn once more, by the same code, on a canvas that writes down what is drawn. */
import { BasicPlatform, Chart as ChartJs, type ChartConfiguration } from 'chart.js'
import { Context, Element } from 'svgcanvas'
import type { Draw } from './canvas.tsx'
import { FONT_FAMILY, FONT_PX, chartDefaults } from './look.ts'
import type { Palette } from './palette.ts'

export function drawnSvg(draw: Draw, width: number, height: number, palette: Palette): string {
  const context = new Context({ width, height })
  context.font = `${FONT_PX}px ${FONT_FAMILY}`
  context.textBaseline = 'middle'
  draw(context, width, height, palette)
  return context.getSerializedSvg(true)
}

export function chartSvg(
  configuration: ChartConfiguration,
  width: number,
  height: number,
  palette: Palette,
): string {
  const element = new Element({ width, height })
  ChartJs.defaults.set(chartDefaults(palette))
  const options = { ...configuration.options, responsive: false, animation: false as const, events: [] }
  // Lines without segments are kept as objects that only a real canvas can stroke.
  const datasets = configuration.data.datasets.map((one) => ({ ...one, segment: {} }))
  const chart = new ChartJs(element as unknown as HTMLCanvasElement, {
    ...configuration,
    data: { ...configuration.data, datasets },
    options,
    // It is no element of the page, whose size and events would count.
    platform: BasicPlatform,
  })
  const text = element.ctx.getSerializedSvg(true)
  chart.destroy()
  return text
}
