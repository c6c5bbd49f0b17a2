import type { ReactNode } from 'react'
import { Hint } from './hint.tsx'

export interface TableColumn<T> {
  id: string
  head: string
  /** The definition of the figure, shown on its head. */
  about: string
  /** Text is left-aligned, figures right. */
  align?: 'left'
  cell(row: T): ReactNode
}

interface TableProps<T> {
  label: string
  columns: TableColumn<T>[]
  rows: T[]
  keyOf(row: T): string | number
  /** Column that rows are sorted by, and what is done when a head is clicked; not sortable without. */
  sort?: { by: string; onSort(by: string): void }
  isChosen?(row: T): boolean
  onChoose?(row: T): void
}

/** A plain table: figures in columns, heads that explain them. */
export function Table<T>({ label, columns, rows, keyOf, sort, isChosen, onChoose }: TableProps<T>) {
  const side = ({ align }: TableColumn<T>) =>
    align === 'left' ? 'text-left' : 'text-right whitespace-nowrap'
  return (
    <table aria-label={label} className="w-full tabular-nums">
      <thead className="sticky top-0 bg-paper text-xs text-faint">
        <tr className="border-b border-line">
          {columns.map((column) => (
            <th
              key={column.id}
              scope="col"
              className={`px-2 py-1 font-normal whitespace-nowrap ${side(column)}`}
            >
              <Hint text={column.about}>
                {sort === undefined ? (
                  <span tabIndex={0}>{column.head}</span>
                ) : (
                  <button
                    type="button"
                    aria-pressed={sort.by === column.id}
                    className={`hover:text-ink ${sort.by === column.id ? 'font-semibold text-ink' : ''}`}
                    onClick={() => sort.onSort(column.id)}
                  >
                    {column.head}
                    {sort.by === column.id && ' ↓'}
                  </button>
                )}
              </Hint>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr
            key={keyOf(row)}
            tabIndex={onChoose === undefined ? undefined : 0}
            aria-selected={isChosen?.(row)}
            className={`border-b border-line/50 outline-offset-[-2px] ${isChosen?.(row) ? 'bg-pick' : onChoose ? 'cursor-pointer hover:bg-line/35' : ''}`}
            onClick={() => onChoose?.(row)}
            onKeyDown={(event) => {
              if (event.key === 'Enter') onChoose?.(row)
            }}
          >
            {columns.map((column) => (
              <td key={column.id} className={`px-2 py-1 align-top ${side(column)}`}>
                {column.cell(row)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  )
}
