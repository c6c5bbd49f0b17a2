/** Times in ns since 1970, which a number cannot hold exactly, as ns since a second that a number can. */

const NS_PER_S = 1e9
/** The largest signed 64-bit number of ns: the year 2262. */
const LAST_SECOND = 9_223_372_036

export class UnixTimes {
  /** The second that times count from, since 1970: that of the first time read. */
  baseS: number | null

  constructor(baseS: number | null = null) {
    this.baseS = baseS
  }

  /**
   * A 64-bit number of ns in the JSON mapping, a text or a number, or as protobuf gives it.
   * @returns ns since the base, exact within 104 days of it; null for what is no time after 1970 that 64 bits hold
   */
  read(value: unknown): number | null {
    let second: number
    let rest: number
    if (typeof value === 'string') {
      if (!isDigits(value)) return null
      const cut = value.length - 9
      second = cut > 0 ? Number(value.slice(0, cut)) : 0
      rest = Number(cut > 0 ? value.slice(cut) : value)
    } else if (typeof value === 'bigint') {
      if (value < 0n) return null
      second = Number(value / BigInt(NS_PER_S))
      rest = Number(value % BigInt(NS_PER_S))
    } else if (typeof value === 'number' && Number.isSafeInteger(value) && value >= 0) {
      second = Math.floor(value / NS_PER_S)
      rest = value - second * NS_PER_S
    } else return null
    return this.at(second, rest)
  }

  /** The same of whole seconds and the ns that are left. */
  at(second: number, rest: number): number | null {
    if (second > LAST_SECOND || (second === 0 && rest === 0)) return null
    this.baseS ??= second
    return (second - this.baseS) * NS_PER_S + rest
  }
}

function isDigits(text: string): boolean {
  if (text.length === 0 || text.length > 20) return false
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i)
    if (code < 48 || code > 57) return false
  }
  return true
}

/** What is added to times counted from one base for them to count from the other, ns. */
export const shiftNs = (fromBaseS: number, toBaseS: number): number => (fromBaseS - toBaseS) * NS_PER_S

/** ms since 1970. */
export const unixMs = (ns: number, baseS: number): number => baseS * 1000 + Math.floor(ns / 1e6)
