/** Tables of what is told, as CSV. */
import { csvRow, type Cell } from '@lapsus/core/exchange'
import { CliError } from './errors.ts'

/**
 * One table of something that is told: an array of objects, as CSV. What is inside an object gets its name in front, with a
 * dot; names in an array are joined.
 * @param table name of the array
 * @throws CliError naming the tables that there are
 */
export function csvOf(told: object, table: string): string {
  const tables = Object.entries(told).filter(
    (entry): entry is [string, object[]] => Array.isArray(entry[1]) && entry[1].every(isObject),
  )
  const rows = tables.find(([name]) => name === table)?.[1]
  if (rows === undefined)
    throw new CliError(
      `there is no table "${table}"; there are: ${tables.map(([name]) => name).join(', ') || 'none'}`,
    )
  const flat = rows.map((row) => new Map(cellsOf(row, '')))
  const heads = [...new Set(flat.flatMap((row) => [...row.keys()]))]
  return [heads, ...flat.map((row) => heads.map((head) => row.get(head) ?? ''))].map(csvRow).join('')
}

const isObject = (value: unknown): boolean =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

function cellsOf(row: object, before: string): [string, Cell][] {
  return Object.entries(row).flatMap(([name, value]: [string, unknown]): [string, Cell][] => {
    const head = `${before}${name}`
    if (Array.isArray(value)) return value.some(isObject) ? [] : [[head, value.join(' > ')]]
    if (isObject(value)) return cellsOf(value as object, `${head}.`)
    return [[head, typeof value === 'number' ? value : value === null ? '' : String(value)]]
  })
}
