/** Tables as CSV (RFC 4180): a comma between cells, CR LF after each row, quotes where needed. */

export type Cell = string | number

/** A cell that begins like a formula is not run by a spreadsheet: it gets a quote mark in front. */
const FORMULA = /^[=+\-@\t\r]/

export function csvRow(cells: readonly Cell[]): string {
  return cells.map(csvCell).join(',') + '\r\n'
}

function csvCell(cell: Cell): string {
  if (typeof cell === 'number') return Number.isFinite(cell) ? String(cell) : ''
  const safe = FORMULA.test(cell) ? `'${cell}` : cell
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe
}
