/** Where things are on the strip. Lengths in CSS pixels from its top-left corner. */

/** Height kept above the frames for moments. */
export const FLAGS = 20
/** Height kept below for the number of the frame that is shown. */
export const FOOT = 16
/** Where the floor lies between the frames' top (0) and the lowest that is drawn (1). */
const FLOOR_AT = 0.52

/** The part of the take that is visible: frames `from` to before `to`. */
export interface Window {
  from: number
  to: number
}

/** px a ns: the floor is always in the same place. */
export const lengthScale = (height: number, budgetNs: number) =>
  ((height - FLAGS - FOOT) * FLOOR_AT) / budgetNs

export const xOfFrame = (frame: number, { from, to }: Window, width: number) =>
  ((frame - from) / (to - from)) * width

export function frameAtX(x: number, { from, to }: Window, width: number): number {
  const frame = from + Math.floor((x / width) * (to - from))
  return Math.min(to - 1, Math.max(from, frame))
}

const FEWEST = 12

/** Zooms by `factor` around a frame, which stays where it is. */
export function zoom(window: Window, around: number, factor: number, frames: number): Window {
  const size = Math.min(
    frames,
    Math.max(Math.min(FEWEST, frames), Math.round((window.to - window.from) * factor)),
  )
  const share = (around - window.from) / (window.to - window.from)
  return moveTo(Math.round(around - share * size), size, frames)
}

export const pan = (window: Window, by: number, frames: number) =>
  moveTo(window.from + Math.round(by), window.to - window.from, frames)

/** The nearest window that shows the frame. */
export function reveal(window: Window, frame: number, frames: number): Window {
  if (frame >= window.from && frame < window.to) return window
  const size = window.to - window.from
  return moveTo(Math.round(frame - size / 2), size, frames)
}

function moveTo(from: number, size: number, frames: number): Window {
  const start = Math.min(Math.max(0, from), Math.max(0, frames - size))
  return { from: start, to: Math.min(frames, start + size) }
}
