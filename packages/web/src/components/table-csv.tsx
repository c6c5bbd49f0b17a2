/** A table as CSV: its cells as they are shown, read from what they would be on the page. */
import { csvRow } from '@lapsus/core/exchange'
import type { ReactNode } from 'react'
import { renderToStaticMarkup } from 'react-dom/server'
import { MemoryRouter } from 'react-router'
import { Screen } from './shown.tsx'

interface Columns<T> {
  columns: readonly { head: string; cell(row: T): ReactNode }[]
  rows: readonly T[]
}

export function tableCsv<T>({ columns, rows }: Columns<T>): string {
  const heads = csvRow(columns.map(({ head }) => head))
  return heads + rows.map((row) => csvRow(columns.map(({ cell }) => textOf(cell(row))))).join('')
}

/** Links need a router around them, wherever they lead. */
function textOf(cell: ReactNode): string {
  if (typeof cell === 'string' || typeof cell === 'number') return String(cell)
  const markup = renderToStaticMarkup(
    <Screen>
      <MemoryRouter>{cell}</MemoryRouter>
    </Screen>,
  )
  const page = new DOMParser().parseFromString(markup, 'text/html')
  for (const block of page.querySelectorAll('div, li, p')) block.prepend(' ')
  return page.body.textContent.replaceAll(/\s+/g, ' ').trim()
}
