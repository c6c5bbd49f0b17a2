import type { Random } from './random.ts'

/** Pixels of a stamp. */
const STAMP = 24 * 24
const SHEETS = 6

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
})

/** Where letters come from and go to. */
export interface LetterSource {
  take(): Letter
  give(letter: Letter): void
}

/** Makes a letter each time and lets the collector find it afterwards. */
export const churningSource = (): LetterSource => ({ take: newLetter, give: () => {} })

/** Keeps letters that were delivered and hands them out again. */
export function poolingSource(size: number): LetterSource {
  const idle = Array.from({ length: size }, newLetter)
  return {
    take: () => idle.pop() ?? newLetter(),
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
