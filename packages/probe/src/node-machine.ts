/** The machine as Linux tells it (proc(5)); elsewhere it tells nothing. */
import { openSync, readSync } from 'node:fs'
import { TAKEN_UNKNOWN } from '@lapsus/core/format'
import { safely } from './given.ts'
import type { MachineAccess } from './machine.ts'

/** /proc/stat counts in hundredths of a second, whatever the kernel's own clock. */
const MS_PER_TICK = 10
/** Of the words of the line `cpu`: user, nice, system, idle, iowait, irq, softirq, steal. */
const STEAL = 8
/** Of schedstat: time run, time ready, turns. */
const READY = 1

const STOLEN_EVERY_MS = 1_000

/** Null where the system tells nothing. */
export const nodeMachine = (): MachineAccess | null =>
  machineOf(reader('/proc/thread-self/schedstat', READY), reader('/proc/stat', STEAL))

/**
 * @param readyNs what the thread has waited in all; null where that is not told
 * @param stolenTicks what was stolen in all
 */
export function machineOf(
  readyNs: (() => number) | null,
  stolenTicks: (() => number) | null,
): MachineAccess | null {
  if (readyNs === null && stolenTicks === null) return null
  let ready = NaN
  let stolen = NaN
  let askedMs = -Infinity
  return {
    takenNs() {
      const before = ready
      ready = readyNs?.() ?? NaN
      return ready >= before ? ready - before : TAKEN_UNKNOWN
    },
    stolenMs(nowMs) {
      if (stolenTicks === null || nowMs - askedMs < STOLEN_EVERY_MS) return NaN
      const before = stolen
      askedMs = nowMs
      stolen = stolenTicks()
      return (stolen - before) * MS_PER_TICK
    },
  }
}

/**
 * Reads one number of a file of the system that is kept open, without making anything.
 * @param word which, parted by spaces, from 0
 * @returns null where there is no such file or number
 */
function reader(path: string, word: number): (() => number) | null {
  const file = safely(() => openSync(path, 'r'), -1)
  if (file < 0) return null
  const bytes = new Uint8Array(256)
  const read = (): number => {
    try {
      return numberIn(bytes, readSync(file, bytes, 0, bytes.length, 0), word)
    } catch {
      return NaN
    }
  }
  return Number.isNaN(read()) ? null : read
}

const SPACE = 32
const LINE = 10
const ZERO = 48

/** The number that the `word`th word of the first line is; NaN where it is none. */
export function numberIn(bytes: Uint8Array, length: number, word: number): number {
  let at = 0
  for (let passed = 0; passed < word; passed++) {
    while (at < length && bytes[at] !== SPACE && bytes[at] !== LINE) at++
    if (bytes[at] === LINE) return NaN
    while (at < length && bytes[at] === SPACE) at++
  }
  const first = at
  let value = 0
  for (; at < length && bytes[at]! >= ZERO && bytes[at]! < ZERO + 10; at++)
    value = value * 10 + bytes[at]! - ZERO
  return at === first ? NaN : value
}
