/** Where a value of an input stands on its slider. Pure. */
import type { NumberInput } from '@lapsus/core/remedy'

/** The slider is this many steps long where values are not whole or few. */
const STEPS = 200
/** Reaches so many times the suggested value where nothing else limits it. */
const REACH = 4

/** The values that the slider spans: whatever is allowed, as far as it is of use. */
export function spanOf({ least, most, suggested, unit, whole, others }: NumberInput, value: number) {
  if (unit === '%') return { least, most: Math.min(most, 100) }
  const wanted = Math.max(suggested * REACH, value, ...others.map((one) => one.value), whole ? least + 4 : 0)
  return { least, most: Math.min(most, wanted > least ? wanted : least + 1) }
}

/** One place of the slider. */
export function stepOf({ whole }: NumberInput, { least, most }: { least: number; most: number }): number {
  const step = (most - least) / STEPS
  return whole ? Math.max(1, Math.round(step)) : step
}

/** A dragged value without the digits that nobody set. */
export const tidy = (value: number, whole: boolean): number =>
  whole ? Math.round(value) : Number(value.toPrecision(3))
