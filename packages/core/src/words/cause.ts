import { amount, ms, three } from './numbers.ts'

interface CauseFigures {
  why: string
  calls: number
  usualCalls: number
  selfMs: number
  usualMs: number
}

/** What a cause did, and what is usual: the one sentence of it, wherever it is told. @param name of its marker */
export function causeWords(name: string, { why, calls, usualCalls, selfMs, usualMs }: CauseFigures): string {
  if (why === 'machine')
    return calls > 1
      ? `the machine: all code took ${amount(calls)} times as long as usual, ${ms(selfMs)} of it`
      : `the machine: the system took the thread away for ${ms(selfMs)}`
  if (why === 'collection') return `a collection took ${ms(selfMs)}`
  const usually = usualMs > 0 ? `usually ${ms(usualMs)}` : 'usually nothing'
  if (why === 'waiting') return `${name} waited ${ms(selfMs)}, ${usually}`
  if (why === 'more-calls') {
    const usual = usualCalls === 0 ? 'usually not at all' : `usually ${amount(usualCalls)}`
    const runs = Number(calls.toPrecision(3))
    return `${name} ran ${amount(runs)} ${runs === 1 ? 'time' : 'times'} for ${ms(selfMs)}, ${usual}`
  }
  return `${name} took ${ms(selfMs)}, ${usually}`
}

/** When the machine was slower, or faster, than usual. @param factor how many times as long code took */
export const spellWords = ({ factor, fromS, toS }: { factor: number; fromS: number; toS: number }): string =>
  `the machine was ${three(factor >= 1 ? factor : 1 / factor)} × ${factor >= 1 ? 'slower' : 'faster'} from ${three(fromS)} s to ${three(toS)} s`

/** Of time that no marker stands for. */
export const OUTSIDE = 'time outside any marker'
