import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef, type ReactNode } from 'react'
import { Hint } from './hint.tsx'
import { useShownTable } from './shown.tsx'

export interface TableColumn<T> {
  id: string
  head: string
  /** The definition of the figure, shown on its head. */
  about: string
  /** Text is left-aligned, figures right. */
  align?: 'left'
  /** As CSS; the columns without share what is left. Where one has a width, contents do not widen any. */
  width?: string
  /** Whether rows can be sorted by it, where they can be sorted at all: if not said otherwise. */
  sorts?: false
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
  /** On a double click. */
  onOpen?(row: T): void
  /** Height of each row, where there may be thousands: only those in sight are drawn, in a scroller of its own. */
  rowPx?: number
}

/** A table: figures in columns, heads that explain them. */
export function Table<T>(props: TableProps<T>) {
  useShownTable(props.label, async () => (await import('./table-csv.tsx')).tableCsv(props))
  return props.rowPx === undefined ? <PlainTable {...props} /> : <LongTable {...props} rowPx={props.rowPx} />
}

function PlainTable<T>(props: TableProps<T>) {
  return (
    <Frame {...props}>
      {props.rows.map((row) => (
        <Row key={props.keyOf(row)} row={row} {...props} />
      ))}
    </Frame>
  )
}

/** The head stays in sight, above the rows. */
const HEAD_PX = 26

/** Rows above and below those in sight are two empty ones of their height. */
function LongTable<T>(props: TableProps<T> & { rowPx: number }) {
  const { rows, keyOf, isChosen, rowPx } = props
  const scroller = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowPx,
    overscan: 12,
    scrollPaddingEnd: HEAD_PX,
  })
  const chosen = isChosen === undefined ? -1 : rows.findIndex(isChosen)
  useEffect(() => {
    if (chosen >= 0) virtual.scrollToIndex(chosen, { align: 'auto' })
  }, [chosen, virtual])
  const shown = virtual.getVirtualItems()
  return (
    <div ref={scroller} className="min-h-0 grow overflow-y-scroll">
      <Frame {...props}>
        <Gap px={shown[0]?.start ?? 0} columns={props.columns.length} />
        {shown.map(({ index }) => (
          <Row key={keyOf(rows[index]!)} row={rows[index]!} {...props} />
        ))}
        <Gap px={virtual.getTotalSize() - (shown.at(-1)?.end ?? 0)} columns={props.columns.length} />
      </Frame>
    </div>
  )
}

const Gap = ({ px, columns }: { px: number; columns: number }) =>
  px > 0 && (
    <tr aria-hidden>
      <td colSpan={columns} style={{ height: px }} />
    </tr>
  )

const sideOf = <T,>({ align }: TableColumn<T>) =>
  align === 'left' ? 'text-left' : 'text-right whitespace-nowrap'

function Frame<T>({ label, columns, sort, children }: TableProps<T> & { children: ReactNode }) {
  const isFixed = columns.some(({ width }) => width !== undefined)
  return (
    <table aria-label={label} className={`w-full tabular-nums ${isFixed ? 'table-fixed' : ''}`}>
      {isFixed && (
        <colgroup>
          {columns.map(({ id, width }) => (
            <col key={id} style={{ width }} />
          ))}
        </colgroup>
      )}
      <thead className="sticky top-0 z-1 bg-paper text-xs text-faint">
        <tr className="border-b border-line">
          {columns.map((column) => (
            <th
              key={column.id}
              scope="col"
              className={`px-2 py-1 font-normal whitespace-nowrap ${sideOf(column)}`}
            >
              <Hint text={column.about}>
                {sort === undefined || column.sorts === false ? (
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
      <tbody>{children}</tbody>
    </table>
  )
}

function Row<T>({ row, columns, isChosen, onChoose, onOpen, rowPx }: TableProps<T> & { row: T }) {
  const chosen = isChosen?.(row)
  return (
    <tr
      tabIndex={onChoose === undefined ? undefined : 0}
      aria-selected={chosen}
      style={{ height: rowPx }}
      className={`outline-offset-[-2px] ${rowPx === undefined ? 'border-b border-line/50' : ''} ${chosen ? 'bg-pick' : onChoose ? 'cursor-pointer hover:bg-line/35' : ''}`}
      onClick={() => onChoose?.(row)}
      onDoubleClick={() => onOpen?.(row)}
      onKeyDown={(event) => {
        if (event.key === 'Enter' && event.target === event.currentTarget) onChoose?.(row)
      }}
    >
      {columns.map((column) => (
        <td
          key={column.id}
          className={`px-2 ${rowPx === undefined ? 'py-1 align-top' : 'overflow-hidden py-0'} ${sideOf(column)}`}
        >
          {column.cell(row)}
        </td>
      ))}
    </tr>
  )
}
