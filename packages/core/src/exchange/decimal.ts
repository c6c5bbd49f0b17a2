/** Decimal numbers of more digits than a double holds, to the last bit. */

/** Splits a double into two halves of 26 bits (Veltkamp, 1968). */
const SPLITTER = 2 ** 27 + 1
/** What is left out below is smaller than this part of a correction. */
const DOUBT = 2 ** -40

/**
 * (head × 10^places + tail) ÷ scale, as near as a double can be; NaN where the arithmetic does not tell which double that
 * is. Products and sums are exact with what they leave out (Dekker, 1971).
 * @param head a whole number below 2^53
 * @param shift 10^places, exact
 * @param tail a whole number below `shift`
 * @param scale a power of ten that is exact
 */
export function nearestQuotient(head: number, shift: number, tail: number, scale: number): number {
  const product = head * shift
  const missing = leftOut(head, shift, product)
  const sum = product + tail
  const rest = tail - (sum - product)
  const quotient = sum / scale
  const remainder = sum - quotient * scale - leftOut(quotient, scale, quotient * scale)
  const correction = (remainder + (rest + missing)) / scale
  const result = quotient + correction * (1 - DOUBT)
  return result === quotient + correction * (1 + DOUBT) ? result : NaN
}

/** What the product of two doubles has more than the double nearest to it. */
function leftOut(a: number, b: number, product: number): number {
  const aHigh = SPLITTER * a - (SPLITTER * a - a)
  const bHigh = SPLITTER * b - (SPLITTER * b - b)
  const [aLow, bLow] = [a - aHigh, b - bHigh]
  return aHigh * bHigh - product + aHigh * bLow + aLow * bHigh + aLow * bLow
}
