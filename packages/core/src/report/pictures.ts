/** Pictures of a report as SVG, in the colours of the pages. All text in them is escaped here. */
import { escaped, ms, three } from '../words/index.ts'

const INK = '#202a32'
const FAINT = '#66676a'
const LINE = '#d9d2c3'
const LEAF = '#fdfbf6'
const WORK = '#3b5a70'
const WORK_SOFT = '#8aa1b0'
const WAIT = '#d8dcd8'
const COLLECT = '#80558c'
const ALARM = '#c23b22'

const WIDTH = 960

const svg = (height: number, words: string, inner: readonly string[]): string =>
  `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${height}" role="img" aria-label="${escaped(words)}" font-family="sans-serif" font-size="12">` +
  `<rect width="${WIDTH}" height="${height}" fill="${LEAF}"/>${inner.join('')}</svg>`

const at = (value: number): string => String(Math.round(value * 10) / 10)
const rect = (x: number, y: number, width: number, height: number, fill: string): string =>
  width <= 0 || height <= 0
    ? ''
    : `<rect x="${at(x)}" y="${at(y)}" width="${at(width)}" height="${at(height)}" fill="${fill}"/>`
const line = (x1: number, y1: number, x2: number, y2: number, stroke: string, width = 1): string =>
  `<line x1="${at(x1)}" y1="${at(y1)}" x2="${at(x2)}" y2="${at(y2)}" stroke="${stroke}" stroke-width="${width}"/>`
const words = (x: number, y: number, text: string, more = '', fill = INK): string =>
  `<text x="${at(x)}" y="${at(y)}" fill="${fill}"${more}>${escaped(text)}</text>`

const STRIP_PX = 120
const MOST_COLUMNS = 480
/** The floor lies so far down. */
const FLOOR_SHARE = 0.6

/** Work of all frames, hanging from the top; what goes through the floor is red. */
export function stripPicture(workNs: Float64Array, budgetMs: number, about: string): string {
  const columns = Math.min(MOST_COLUMNS, workNs.length)
  const floor = STRIP_PX * FLOOR_SHARE
  const scale = floor / (budgetMs * 1e6)
  const bars: string[] = []
  for (let column = 0; column < columns; column++) {
    const from = Math.floor((column * workNs.length) / columns)
    const part = workNs.subarray(
      from,
      Math.max(from + 1, Math.floor(((column + 1) * workNs.length) / columns)),
    )
    const worst = Math.min(STRIP_PX, part.reduce((most, ns) => Math.max(most, ns), 0) * scale)
    const [x, wide] = [(column * WIDTH) / columns, WIDTH / columns]
    bars.push(rect(x, 0, wide, Math.min(worst, floor), WORK), rect(x, floor, wide, worst - floor, ALARM))
  }
  return svg(STRIP_PX, about, [
    ...bars,
    line(0, floor, WIDTH, floor, INK),
    words(WIDTH - 6, floor + 14, `floor ${ms(budgetMs)}`, ' text-anchor="end"'),
  ])
}

export interface DifferenceRow {
  name: string
  difference: number
  low: number
  high: number
}

const ROW_PX = 22

/** Differences as bars about zero, with their intervals. */
export function differencesPicture(rows: readonly DifferenceRow[], unit: string, about: string): string {
  const finite = rows.flatMap(({ difference, low, high }) => [difference, low, high].filter(Number.isFinite))
  const most = Math.max(1e-9, ...finite.map(Math.abs))
  const [left, right] = [320, WIDTH - 80]
  const middle = (left + right) / 2
  const x = (value: number) => middle + (Math.max(-most, Math.min(most, value)) / most) * (middle - left)
  return svg(rows.length * ROW_PX + 8, about, [
    line(middle, 0, middle, rows.length * ROW_PX + 8, INK),
    ...rows.flatMap(({ name, difference, low, high }, i) => {
      const y = 4 + i * ROW_PX
      const [from, to] = [Math.min(0, difference), Math.max(0, difference)]
      return [
        words(left - 8, y + 15, shortened(name, 48), ' text-anchor="end"'),
        rect(x(from), y + 5, x(to) - x(from), 12, difference > 0 ? ALARM : WORK),
        line(x(low), y + 11, x(high), y + 11, FAINT, 2),
        words(right + 6, y + 15, `${difference < 0 ? '−' : '+'}${three(Math.abs(difference))} ${unit}`),
      ]
    }),
  ])
}

export interface Course {
  values: readonly (number | null)[]
  /** Where a label stands below the picture. */
  labels: readonly { at: number; text: string }[]
  /** Levels between changes. */
  levels: readonly { from: number; to: number; value: number }[]
  budget: number | null
}

const COURSE_PX = 200

/** Values in order, with the levels around each change. */
export function coursePicture({ values, labels, levels, budget }: Course, about: string): string {
  const known = values.flatMap((value) => value ?? [])
  const most = Math.max(1e-9, ...known) * 1.1
  const bottom = COURSE_PX - 22
  const shown = budget !== null && budget <= most * 3 ? budget : null
  const top = shown === null ? most : Math.max(most, shown * 1.1)
  const y = (value: number) => bottom - (value / top) * (bottom - 8)
  const x = (i: number) => 50 + (i / Math.max(1, values.length - 1)) * (WIDTH - 70)
  return svg(COURSE_PX, about, [
    line(50, bottom, WIDTH - 20, bottom, LINE),
    words(44, bottom + 4, '0', ' text-anchor="end"', FAINT),
    words(44, 18, three(top), ' text-anchor="end"', FAINT),
    ...(shown === null ? [] : [line(50, y(shown), WIDTH - 20, y(shown), ALARM)]),
    ...levels.map(({ from, to, value }) => line(x(from), y(value), x(to), y(value), INK, 1.5)),
    ...values.map((value, i) =>
      value === null ? '' : `<circle cx="${at(x(i))}" cy="${at(y(value))}" r="3.5" fill="${WORK}"/>`,
    ),
    ...labels.map((label) => words(x(label.at), COURSE_PX - 6, label.text, '', FAINT)),
  ])
}

export interface PageSpan {
  name: string
  kind: string
  depth: number
  /** ns since the frame's start. */
  startNs: number
  durationNs: number
}

const BLOCK_PX = 20
/** Narrower blocks are drawn without a name; much narrower ones not at all. */
const NAMED_PX = 26
const DRAWN_PX = 0.4
const MOST_DEPTH = 12
const LETTER_PX = 6.4

/** One frame as blocks: across time, downwards what runs inside. */
export function pagePicture(
  spans: readonly PageSpan[],
  durationNs: number,
  budgetMs: number,
  about: string,
): string {
  const deepest = spans.reduce((most, { depth }) => Math.max(most, depth), 0)
  const rows = Math.min(MOST_DEPTH, deepest + 1)
  const scale = WIDTH / Math.max(1, durationNs)
  const height = rows * BLOCK_PX + 20
  const floor = budgetMs * 1e6 * scale
  return svg(height, about, [
    ...spans.flatMap(({ name, kind, depth, startNs, durationNs: length }) => {
      const wide = length * scale
      if (depth >= rows || wide < DRAWN_PX) return []
      const [x, y] = [startNs * scale, depth * BLOCK_PX]
      const fill =
        kind === 'collect' ? COLLECT : kind.startsWith('wait:') ? WAIT : depth % 2 === 0 ? WORK : WORK_SOFT
      const ink = kind.startsWith('wait:') || (kind === 'work' && depth % 2 === 1) ? INK : LEAF
      const letters = Math.floor((wide - 6) / LETTER_PX)
      return [
        rect(x, y, Math.max(0.5, wide - 0.5), BLOCK_PX - 1, fill),
        wide < NAMED_PX ? '' : words(x + 3, y + 14, shortened(name, letters), '', ink),
      ]
    }),
    ...(floor < WIDTH ? [line(floor, 0, floor, height, ALARM, 1.5)] : []),
    words(2, height - 5, '0', '', FAINT),
    words(WIDTH - 2, height - 5, ms(durationNs / 1e6), ' text-anchor="end"', FAINT),
    ...(floor < WIDTH - 120 ? [words(floor + 4, height - 5, `floor ${ms(budgetMs)}`, '', ALARM)] : []),
  ])
}

const shortened = (text: string, most: number): string =>
  text.length <= most ? text : `${text.slice(0, Math.max(1, most - 1))}…`
