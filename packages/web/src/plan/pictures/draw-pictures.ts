/** The pictures of remedies for which a number will not do. */
import type { Picture } from '@lapsus/core/remedy'
import { bytes, ms, plural, three } from '@lapsus/core/words'
import { BOTTOM, footLine, ground, largestOf, LEFT, leftLabel, legend, peaks, type Frame } from './draw.ts'

type Of<S extends Picture['sort']> = Extract<Picture, { sort: S }>

export function drawPicture(frame: Frame, picture: Picture): void {
  switch (picture.sort) {
    case 'live-curve':
      return drawLiveCurve(frame, picture)
    case 'load':
      return drawLoad(frame, picture)
    case 'backlog':
      return drawBacklog(frame, picture)
    case 'schedule':
      return drawSchedule(frame, picture)
    case 'layout':
      return drawLayout(frame, picture)
  }
}

/** How many live, against the pool that holds them. */
function drawLiveCurve(frame: Frame, { live, size, what }: Of<'live-curve'>): void {
  const { context, palette } = frame
  const place = ground(frame)
  const most = largestOf(live, size) * 1.08
  context.fillStyle = palette.workSoft
  peaks(frame, live, place, most, true)
  context.strokeStyle = palette.ink
  context.lineWidth = 1.5
  peaks(frame, size, place, most, false)
  context.lineWidth = 1
  const yOf = (value: number) => place.y + place.height - (value / most) * place.height
  leftLabel(frame, three(size.at(-1) ?? 0), yOf(size.at(-1) ?? 0))
  leftLabel(frame, '0', place.y + place.height)
  legend(frame, [
    { words: `“${what}” alive`, colour: palette.workSoft },
    { words: 'size of the pool', colour: palette.ink, line: true },
  ])
  footLine(frame, `${plural(live.length, 'frame')}; at most ${three(largestOf(live))} alive at once`)
}

/** The load of periodic work over the time after which everything repeats. */
function drawLoad(frame: Frame, { before, after, randomWorst }: Of<'load'>): void {
  const { context, palette } = frame
  const place = ground(frame)
  const most = largestOf(before, after) * 1.08
  const half = (place.height - 14) / 2
  const rows = [
    { values: before, y: place.y, words: 'as recorded' },
    { values: after, y: place.y + half + 14, words: 'parted' },
  ]
  for (const { values, y, words } of rows) {
    context.fillStyle = palette.work
    const wide = place.width / values.length
    values.forEach((cost, i) => {
      const tall = (cost / most) * half
      if (tall > 0) context.fillRect(place.x + i * wide, y, Math.max(1, wide - (wide > 4 ? 1 : 0)), tall)
    })
    context.strokeStyle = palette.line
    context.strokeRect(place.x - 0.5, y - 0.5, place.width, half)
    leftLabel(frame, words === 'parted' ? 'parted' : 'now', y + 8)
    leftLabel(frame, ms(largestOf(values)), y + 24)
  }
  const y = rows[1]!.y + Math.min(1, randomWorst / most) * half
  context.strokeStyle = palette.faint
  context.setLineDash([4, 3])
  context.beginPath()
  context.moveTo(place.x, y)
  context.lineTo(place.x + place.width, y)
  context.stroke()
  context.setLineDash([])
  legend(frame, [
    { words: 'load of each frame', colour: palette.work },
    { words: `worst with phases at random, ${ms(randomWorst)}`, colour: palette.faint, line: true },
  ])
  footLine(frame, `the common period, ${plural(before.length, 'frame')}`)
}

/** Frames shown on either side of the burst that waits longest, as a share of what it waits. */
const AROUND = 0.5
const FEWEST_SHOWN = 60

/** The burst that waits longest: what comes in, what is done of it, and what waits. */
function drawBacklog(frame: Frame, { arrived, served, backlog, waits }: Of<'backlog'>): void {
  const { context, palette } = frame
  const place = ground(frame)
  const longest = waits.reduce((a, b) => (b.frames > a.frames ? b : a), { frame: 0, frames: 0 })
  const margin = Math.max(longest.frames * AROUND, (FEWEST_SHOWN - longest.frames) / 2)
  const from = Math.max(0, Math.floor(longest.frame - margin))
  const to = Math.min(arrived.length, Math.ceil(longest.frame + longest.frames + margin))
  const cut = (values: Float64Array) => values.subarray(from, to)
  const most = largestOf(cut(arrived), cut(backlog)) * 1.08
  context.fillStyle = palette.wait
  peaks(frame, cut(backlog), place, most, true)
  context.fillStyle = palette.work
  peaks(frame, cut(served), place, most, true)
  context.strokeStyle = palette.ink
  peaks(frame, cut(arrived), place, most, false)
  leftLabel(frame, ms(largestOf(cut(arrived), cut(backlog))), place.y + 8)
  leftLabel(frame, '0', place.y + place.height)
  legend(frame, [
    { words: 'comes in', colour: palette.ink, line: true },
    { words: 'done', colour: palette.work },
    { words: 'waits', colour: palette.wait },
  ])
  footLine(
    frame,
    `frames ${from} to ${to - 1}, around what waits longest: done ${plural(longest.frames, 'frame')} after it came in`,
  )
}

/** One frame's jobs on their lanes, time running down, and the join across. */
function drawSchedule(frame: Frame, { lanes, shifts, busyNs, joinNs, endNs }: Of<'schedule'>): void {
  const { context, palette } = frame
  const place = ground(frame)
  const most = Math.max(joinNs, endNs) * 1.08 || 1
  const yOf = (ns: number) => place.y + (ns / most) * place.height
  const names = ['main', ...lanes]
  const wide = Math.min(150, (place.width - 8) / names.length - 8)
  const xOf = (column: number) => place.x + column * (wide + 8)
  context.fillStyle = palette.workSoft
  context.fillRect(xOf(0), place.y, wide, Math.max(1, yOf(joinNs) - place.y))
  if (endNs > joinNs) {
    context.fillStyle = palette.wait
    context.fillRect(xOf(0), yOf(joinNs), wide, yOf(endNs) - yOf(joinNs))
  }
  busyNs.forEach((ns, lane) => {
    context.fillStyle = palette.wait
    if (ns > 0) context.fillRect(xOf(lane + 1), place.y, wide, yOf(ns) - place.y)
  })
  for (const { lane, fromNs, toNs } of shifts) {
    context.fillStyle = palette.work
    const tall = yOf(toNs) - yOf(fromNs)
    context.fillRect(xOf(lane + 1), yOf(fromNs), wide, Math.max(0.5, tall - (tall > 3 ? 1 : 0)))
  }
  context.strokeStyle = palette.ink
  context.lineWidth = 1.5
  context.beginPath()
  context.moveTo(place.x - 4, yOf(joinNs))
  context.lineTo(xOf(names.length) - 4, yOf(joinNs))
  context.stroke()
  context.lineWidth = 1
  context.fillStyle = palette.ink
  names.forEach((name, column) => context.fillText(name, xOf(column), 11, wide))
  leftLabel(frame, 'join', yOf(joinNs))
  if (Math.abs(yOf(endNs) - yOf(joinNs)) > 14) leftLabel(frame, ms(endNs / 1e6), yOf(endNs))
  footLine(
    frame,
    `${plural(shifts.length, 'job')}, done after ${ms(endNs / 1e6)}; ` +
      (endNs > joinNs ? `the main lane waits ${ms((endNs - joinNs) / 1e6)}` : 'the main lane does not wait'),
  )
}

/** What one pass moves through the caches: both layouts as bars. */
function drawLayout(frame: Frame, { structs, arrays, instances }: Of<'layout'>): void {
  const { context, palette, height } = frame
  const place = ground(frame)
  const rows = [
    { words: 'array of structs', layout: structs },
    { words: 'struct of arrays', layout: arrays },
  ]
  const most = Math.max(structs.bytes, structs.lines * 64)
  const tall = (height - 26 - BOTTOM) / 2
  rows.forEach(({ words, layout }, i) => {
    const y = place.y + i * tall
    context.fillStyle = palette.ink
    context.fillText(words, LEFT, y + 6)
    const bar = (bytesWide: number, colour: string, at: number, label: string) => {
      const wide = (bytesWide / most) * (place.width - 190)
      context.fillStyle = colour
      context.fillRect(LEFT, at, Math.max(1, wide), 11)
      context.fillStyle = palette.faint
      context.fillText(label, LEFT + wide + 8, at + 6)
    }
    bar(layout.bytes, palette.wait, y + 15, `${bytes(Math.round(layout.bytes))} held`)
    bar(
      layout.lines * 64,
      palette.work,
      y + 29,
      `${three(layout.lines)} lines, ${bytes(layout.lines * 64)} touched`,
    )
  })
  footLine(frame, `${three(instances)} instances, one pass; a cache line is 64 bytes`)
}
