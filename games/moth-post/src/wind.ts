/** The wind over the roofs, worked out on another thread while the game goes on. */

/** Side of the field of wind cells. */
export const FIELD = 48
export const CELLS = FIELD * FIELD
const OCTAVES = 4

/** State shared with the worker: what it should do and how far it is. */
export const REQUESTED = 0
export const FINISHED = 1
export const JOB = 2
export const CONTROL_WORDS = 3
/** Hours travel as whole hundredths; this instead ends the worker. */
export const HUNDREDTHS = 100
export const STOP = -1

export interface SharedWind {
  control: Int32Array
  field: Float32Array
}

export const newSharedWind = (): SharedWind => ({
  control: new Int32Array(new SharedArrayBuffer(CONTROL_WORDS * 4)),
  field: new Float32Array(new SharedArrayBuffer(CELLS * 4)),
})

/** Adds one octave of drifting gusts to the field. */
export function blowOctave(field: Float32Array, octave: number, hour: number): void {
  const scale = 2 ** octave / FIELD
  const strength = 1 / 2 ** octave
  for (let i = 0; i < CELLS; i++) {
    const x = (i % FIELD) * scale
    const y = Math.floor(i / FIELD) * scale
    field[i]! += strength * Math.sin(x * 5.1 + hour) * Math.cos(y * 4.3 - hour * 0.7 + octave)
  }
}

export const octaves = Array.from({ length: OCTAVES }, (_, octave) => octave)

/** Where the wind comes from: a worker thread, or, without one, the same thread. */
export interface WindSource {
  /** Asks for the wind of this hour. @param job its number, 0 for none */
  start(hour: number, job: number): void
  /** Waits until what was asked for is there, and gives it. */
  join(): Float32Array
  stop(): void
}

export function windOnThisThread(): WindSource {
  const field = new Float32Array(CELLS)
  return {
    start(hour) {
      field.fill(0)
      for (const octave of octaves) blowOctave(field, octave, hour)
    },
    join: () => field,
    stop: () => {},
  }
}
