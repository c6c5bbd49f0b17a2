/** Figures and tables of the pages that scripts write. */

export const three = (value) => Number(value.toPrecision(3)).toLocaleString('en')

export const table = (head, rows) => [
  `| ${head.join(' | ')} |`,
  `| ${head.map(() => '---').join(' | ')} |`,
  ...rows.map((row) => `| ${row.join(' | ')} |`),
]
