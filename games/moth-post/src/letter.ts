import type { Random } from './random.ts'

import type { ClassId, Probe } from '@lapsus/probe'

/** Pixels of a stamp. */
const STAMP = 24 * 24
const SHEETS = 12
/** Threads in the paper of an envelope. */
const FIBRES = 12_000
/** About what one letter takes on the heap. */
const LETTER_BYTES = FIBRES * 8 + 4_000

export interface Sheet {
  lines: string[]
  weight: number
}

/** A letter on its way. */
export interface Letter {
  id: number
  /** Number of the lantern it is addressed to. */
  to: number
  weight: number
  address: string
  seal: number
  /** Place on its belt, in paces. */
  place: number
  stamp: Uint8Array
  sheets: Sheet[]
  /** Strength of each thread of the envelope. */
  fibres: number[]
}

const newLetter = (): Letter => ({
  id: 0,
  to: 0,
  weight: 0,
  address: '',
  seal: 0,
  place: 0,
  stamp: new Uint8Array(STAMP),
  sheets: Array.from({ length: SHEETS }, () => ({ lines: ['', '', '', ''], weight: 0 })),
  fibres: new Array<number>(FIBRES).fill(0.5),
})

/** Where letters come from and go to. */
export interface LetterSource {
  take(): Letter
  give(letter: Letter): void
}

/** Makes a letter each time and lets the collector find it afterwards. */
export const churningSource = (probe: Probe, letterClass: ClassId): LetterSource => ({
  take() {
    probe.born(letterClass, LETTER_BYTES)
    return newLetter()
  },
  give: () => probe.died(letterClass),
})

/** Keeps letters that were delivered and hands them out again. */
export function poolingSource(size: number, probe: Probe, letterClass: ClassId): LetterSource {
  const idle = Array.from({ length: size }, newLetter)
  return {
    take() {
      const kept = idle.pop()
      if (kept !== undefined) return kept
      probe.born(letterClass, LETTER_BYTES)
      return newLetter()
    },
    give: (letter) => void idle.push(letter),
  }
}

const STREETS = ['Wick', 'Ember', 'Tallow', 'Snuffer', 'Gable', 'Soot', 'Chimney', 'Lamplight']

/** Writes a fresh address and contents onto a letter, whatever it held before. */
export function addressLetter(letter: Letter, id: number, lanterns: number, random: Random): void {
  letter.id = id
  letter.to = Math.floor(random() * lanterns)
  letter.place = 0
  letter.address = `${1 + (letter.to % 90)} ${STREETS[letter.to % STREETS.length]} Street`
  letter.weight = 0
  letter.fibres[id % FIBRES] = 0.5
  for (const sheet of letter.sheets) {
    sheet.weight = 1 + Math.floor(random() * 9)
    letter.weight += sheet.weight
    for (let line = 0; line < sheet.lines.length; line++)
      sheet.lines[line] = STREETS[(id + line) % STREETS.length]!
  }
  letter.seal = sealOf(letter.address, id)
}

/** The mark by which a letter's carrier vouches for it. */
export function sealOf(address: string, id: number): number {
  let seal = id
  for (let i = 0; i < address.length; i++) seal = (Math.imul(seal, 31) + address.charCodeAt(i)) | 0
  return seal
}

/** Presses the post office's mark into the stamp. */
export function pressStamp(letter: Letter): void {
  const { stamp } = letter
  const middle = 11.5
  for (let i = 0; i < stamp.length; i++) {
    const x = (i % 24) - middle
    const y = Math.floor(i / 24) - middle
    const ring = Math.sin(Math.sqrt(x * x + y * y) * 1.7 + letter.seal)
    stamp[i] = 128 + 120 * ring
  }
}
