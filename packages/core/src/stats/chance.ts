/** How likely something is by chance alone. */

/** log(n!) for every n up to the largest asked for. */
let logFactorials = new Float64Array(1)

function logFactorial(n: number): number {
  if (n >= logFactorials.length) {
    const grown = new Float64Array(Math.max(n + 1, 2 * logFactorials.length))
    for (let i = 1; i < grown.length; i++) grown[i] = grown[i - 1]! + Math.log(i)
    logFactorials = grown
  }
  return logFactorials[n]!
}

const logChoose = (n: number, k: number) => logFactorial(n) - logFactorial(k) - logFactorial(n - k)

/**
 * Fisher's exact test, one-sided: the chance of at least `hits` marked ones among `drawn` out of `all`, of
 * which `marked` are marked.
 */
export function fisherExact(hits: number, drawn: number, marked: number, all: number): number {
  const most = Math.min(drawn, marked)
  const whole = logChoose(all, drawn)
  let p = 0
  for (let k = Math.max(hits, 0, drawn + marked - all); k <= most; k++) {
    p += Math.exp(logChoose(marked, k) + logChoose(all - marked, drawn - k) - whole)
  }
  return Math.min(1, p)
}

/** The chance of `hits` or more successes in `tries`, each of which succeeds with chance `p`. */
export function binomialTail(hits: number, tries: number, p: number): number {
  if (hits <= 0) return 1
  if (p <= 0 || hits > tries) return 0
  if (p >= 1) return 1
  let chance = 0
  for (let k = hits; k <= tries; k++) {
    const term = Math.exp(logChoose(tries, k) + k * Math.log(p) + (tries - k) * Math.log1p(-p))
    chance += term
    // Beyond the middle the terms only fall.
    if (k > tries * p && term < chance * 1e-12) break
  }
  return Math.min(1, chance)
}

/**
 * Benjamini and Hochberg's correction for having asked many questions.
 * @returns for each p the smallest rate of false discoveries at which it would be accepted
 */
export function falseDiscoveryRates(p: readonly number[]): number[] {
  const order = [...p.keys()].sort((a, b) => p[b]! - p[a]!)
  const rates = new Array<number>(p.length)
  let least = 1
  order.forEach((at, i) => {
    least = Math.min(least, (p[at]! * p.length) / (p.length - i))
    rates[at] = least
  })
  return rates
}
