/** Figures and tables of the pages that scripts write. */

/** Null is what nobody knows. */
export const three = (value) =>
  value === null ? 'unknown' : Number(value.toPrecision(3)).toLocaleString('en')

export const table = (head, rows) => [
  `| ${head.join(' | ')} |`,
  `| ${head.map(() => '---').join(' | ')} |`,
  ...rows.map((row) => `| ${row.join(' | ')} |`),
]
