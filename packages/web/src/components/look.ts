/** What drawings have in common, whether they are our own or charts: type, axes, and figures. */
import { three } from '@lapsus/core/words'
import type { Palette } from './palette.ts'

/** The page's own typeface, so that pictures do not change with the machine's. */
export const FONT_FAMILY = '"Source Sans 3 Variable", sans-serif'
export const FONT_PX = 13

/** A figure at an axis. */
const axisFigure = (value: number): string => (value === 0 ? '0' : three(value))

/** A linear axis from 0, as charts are told of it. */
export const axis = (words: string) => ({
  type: 'linear' as const,
  min: 0,
  title: { display: true, text: words },
  ticks: { callback: (value: string | number) => axisFigure(Number(value)) },
})

/** What every chart takes over from the page. */
export const chartDefaults = ({ faint, line }: Palette) => ({
  font: { family: FONT_FAMILY, size: FONT_PX - 1 },
  color: faint,
  borderColor: line,
  animation: false as const,
  maintainAspectRatio: false,
})
