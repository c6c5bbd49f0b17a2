import { inMarkdown } from './markdown.ts'

/** Tables as text: in columns, or as Markdown. */
export function tableLines(heads: string[], rows: string[][], markdown: boolean): string[] {
  if (markdown) {
    const line = (cells: string[]) => `| ${cells.join(' | ')} |`
    const shown = (cells: string[]) => line(cells.map(inMarkdown))
    return [shown(heads), line(heads.map(() => '---')), ...rows.map(shown)]
  }
  const widths = heads.map((head, i) => Math.max(head.length, ...rows.map((row) => row[i]!.length)))
  return [heads, ...rows].map((row) =>
    row
      .map((cell, i) => cell.padEnd(widths[i]!))
      .join('  ')
      .trimEnd(),
  )
}
