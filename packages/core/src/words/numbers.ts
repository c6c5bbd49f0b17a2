/** Figures as text: three significant digits, thousands apart. */

// Without Intl: making the first of its formats takes a browser longer than all else before a page is shown.
const MONTHS = 'Jan Feb Mar Apr May Jun Jul Aug Sept Oct Nov Dec'.split(' ')
const THOUSANDS = /\B(?=(?:\d{3})+(?:\.|$))/g

/** What stands where there is no figure. */
export const NONE = '–'

/** A number with three significant digits: 0.0123, 1.23, 12.3, 123, 1,230. */
export function three(value: number): string {
  if (!Number.isFinite(value)) return NONE
  if (value === 0) return '0'
  if (value < 0) return `−${three(-value)}`
  const magnitude = Math.floor(Math.log10(Number(value.toPrecision(3))))
  if (magnitude >= 3) return count(Math.round(value))
  return value.toFixed(Math.min(6, Math.max(0, 2 - magnitude)))
}

/** A number of things: whole as it is, a mean with three digits. */
export const amount = (value: number): string => (Number.isInteger(value) ? count(value) : three(value))

/** A difference with its sign. @param of how its size reads */
export const signed = (value: number, of: (size: number) => string): string =>
  `${value < 0 ? '−' : '+'}${of(Math.abs(value))}`

/** A number that somebody chose, as they would write it: 60, 59.94. */
export const plain = (value: number): string => String(Number(value.toFixed(3)))

export const ms = (value: number): string => (Number.isFinite(value) ? `${three(value)} ms` : NONE)

/** A share from 0 to 1 as per cent. */
export function percent(share: number): string {
  if (!Number.isFinite(share)) return NONE
  if (share < 0) return share > -0.001 ? '>−0.1 %' : `−${percent(-share)}`
  if (share > 0 && share < 0.001) return '<0.1 %'
  return `${three(share * 100)} %`
}

export function count(value: number): string {
  if (!Number.isFinite(value)) return NONE
  return plain(value).replace(THOUSANDS, ',').replace('-', '−')
}

/** Frames are numbered from 0 in data and addresses, and shown like that. */
export const plural = (value: number, one: string, many = `${one}s`): string =>
  `${count(value)} ${value === 1 ? one : many}`

export function bytes(value: number): string {
  if (value < 0) return `−${bytes(-value)}`
  if (value < 1000) return `${value} B`
  if (value < 1e6) return `${three(value / 1e3)} kB`
  if (value < 1e9) return `${three(value / 1e6)} MB`
  return `${three(value / 1e9)} GB`
}

export function duration(milliseconds: number): string {
  const seconds = milliseconds / 1000
  if (seconds < 60) return `${three(seconds)} s`
  return `${Math.floor(seconds / 60)} min ${Math.round(seconds % 60)} s`
}

/** Roughly how long somebody must wait: rounded up, in the unit that one would say it in. */
export function waitWords(seconds: number): string {
  if (seconds <= 120) return plural(Math.ceil(seconds), 'second')
  if (seconds <= 7_200) return plural(Math.ceil(seconds / 60), 'minute')
  return plural(Math.ceil(seconds / 3_600), 'hour')
}

/** By the clock of whoever reads it. */
export function dateTime(rfc3339: string): string {
  const at = new Date(rfc3339)
  if (Number.isNaN(at.getTime())) return NONE
  const [hours, minutes] = [at.getHours(), at.getMinutes()].map((part) => String(part).padStart(2, '0'))
  return `${at.getDate()} ${MONTHS[at.getMonth()]} ${at.getFullYear()}, ${hours}:${minutes}`
}

/** A gauge's value in its unit. */
export const gaugeValue = (value: number, unit: string): string =>
  unit === 'bytes' ? bytes(value) : `${three(value)}${unit === '' ? '' : ` ${unit}`}`
