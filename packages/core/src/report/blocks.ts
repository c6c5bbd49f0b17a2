/** A report as blocks, one after the other: written as one HTML file that needs nothing else, or as Markdown. */
import { escaped, inMarkdown, tableLines } from '../words/index.ts'

export type Block =
  | { heading: string }
  | { text: string }
  /** What is to be read first. */
  | { lead: string }
  | { list: readonly string[] }
  | { heads: readonly string[]; rows: readonly (readonly string[])[] }
  /** Lines of source, the first with its number; one of them is meant. */
  | { code: readonly string[]; from: number; line: number; words: string }
  /** SVG, with words for whoever cannot see it. */
  | { picture: string; words: string }

export interface Report {
  title: string
  /** What it is about, and when that was. */
  about: string
  blocks: Block[]
}

export const REPORT_FORMATS = ['html', 'md'] as const
export type ReportFormat = (typeof REPORT_FORMATS)[number]

export const writeReport = (report: Report, format: ReportFormat): string =>
  format === 'html' ? asHtml(report) : asMarkdown(report)

/** In the colours of the pages; on paper nothing is cut in two that belongs together. */
const STYLE = `
body { margin: 0 auto; max-width: 60rem; padding: 2rem 1.5rem; background: #f6f2e9; color: #202a32;
  font: 14px/1.45 'Source Sans 3', 'Segoe UI', sans-serif; }
h1, h2 { font-family: 'Source Serif 4', Georgia, serif; font-weight: 600; margin: 1.6em 0 .4em; }
h1 { font-size: 1.7rem; margin-top: 0; } h2 { font-size: 1.15rem; border-bottom: 1px solid #202a32; }
p { margin: .4em 0; } .about { color: #66676a; } .lead { font-size: 1.1rem; }
table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; }
th, td { padding: .2em .5em; border-bottom: 1px solid #d9d2c3; text-align: right; vertical-align: top; }
th { color: #66676a; font-weight: 400; } th:first-child, td:first-child { text-align: left; overflow-wrap: anywhere; }
pre { margin: 0; padding: .4em .6em; border: 1px solid #d9d2c3; background: #fdfcf6; overflow-x: auto; font: 12px/1.4 monospace; }
pre i { display: inline-block; width: 3em; color: #66676a; font-style: normal; } pre b { background: #ece4d0; }
figure { margin: .6em 0; } figcaption { color: #66676a; font-size: .85em; } svg { display: block; width: 100%; height: auto; }
@media print { @page { size: A4; margin: 14mm; } body { background: none; padding: 0; max-width: none; font-size: 10pt; }
  h2 { break-after: avoid; } tr, figure { break-inside: avoid; } thead { display: table-header-group; } }
`

function asHtml({ title, about, blocks }: Report): string {
  return [
    '<!doctype html>',
    '<html lang="en"><head><meta charset="utf-8">',
    '<meta name="viewport" content="width=device-width, initial-scale=1">',
    // Nothing is fetched, whatever a take has for names.
    `<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; img-src data:">`,
    `<title>${escaped(title)}</title><style>${STYLE}</style></head><body>`,
    `<h1>${escaped(title)}</h1><p class="about">${escaped(about)}</p>`,
    ...blocks.map(blockHtml),
    '</body></html>',
    '',
  ].join('\n')
}

function blockHtml(block: Block): string {
  if ('heading' in block) return `<h2>${escaped(block.heading)}</h2>`
  if ('lead' in block) return `<p class="lead">${escaped(block.lead)}</p>`
  if ('text' in block) return `<p>${escaped(block.text)}</p>`
  if ('list' in block) return `<ul>${block.list.map((item) => `<li>${escaped(item)}</li>`).join('')}</ul>`
  if ('picture' in block)
    return `<figure>${block.picture}<figcaption>${escaped(block.words)}</figcaption></figure>`
  if ('code' in block) {
    const lines = block.code.map((text, i) => {
      const number = block.from + i
      const code = `<i>${number}</i>${escaped(text)}`
      return number === block.line ? `<b>${code}</b>` : code
    })
    return `<figure><pre>${lines.join('\n')}</pre><figcaption>${escaped(block.words)}</figcaption></figure>`
  }
  const cells = (row: readonly string[], tag: 'th' | 'td') =>
    `<tr>${row.map((cell) => `<${tag}${tag === 'th' ? ' scope="col"' : ''}>${escaped(cell)}</${tag}>`).join('')}</tr>`
  const rows = block.rows.map((row) => cells(row, 'td')).join('')
  return `<table><thead>${cells(block.heads, 'th')}</thead><tbody>${rows}</tbody></table>`
}

/** As code, whatever stands in it: the fence is longer than any in the text. */
function fenced(text: string): string {
  const longest = Math.max(2, ...[...text.matchAll(/`+/g)].map(([ticks]) => ticks.length))
  const fence = '`'.repeat(longest + 1)
  return `${fence}\n${text}\n${fence}`
}

function asMarkdown({ title, about, blocks }: Report): string {
  const parts = blocks.map((block): string => {
    if ('heading' in block) return `## ${inMarkdown(block.heading)}`
    if ('lead' in block) return `**${inMarkdown(block.lead)}**`
    if ('text' in block) return inMarkdown(block.text)
    if ('list' in block) return block.list.map((item) => `- ${inMarkdown(item)}`).join('\n')
    // Pictures are for the page; their words stand for them.
    if ('picture' in block) return `_${inMarkdown(block.words)}_`
    if ('code' in block) return `${inMarkdown(block.words)}\n\n${fenced(block.code.join('\n'))}`
    return tableLines(
      [...block.heads],
      block.rows.map((row) => [...row]),
      true,
    ).join('\n')
  })
  return [`# ${inMarkdown(title)}`, inMarkdown(about), ...parts, ''].join('\n\n')
}
