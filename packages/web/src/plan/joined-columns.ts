/** Columns one after the other. */
export function joinedColumns(columns: readonly Float64Array[]): Float64Array {
  const all = new Float64Array(columns.reduce((sum, { length }) => sum + length, 0))
  let at = 0
  for (const column of columns) {
    all.set(column, at)
    at += column.length
  }
  return all
}
