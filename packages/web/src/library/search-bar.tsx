import { X } from 'lucide-react'
import { useEffect, useMemo, useState } from 'react'
import { useSearchParams } from 'react-router'
import type { TakeSummary } from '@lapsus/api'
import { IconButton } from '../components/button.tsx'
import { SearchField } from '../components/search-field.tsx'
import { ORDERS, useSettings, type Order } from '../state/settings.ts'
import { ORDER_WORDS } from './order.ts'
import { filterOf, useLibrary, type FilterField } from '../state/library.ts'

/** Time that typing must rest before the server is asked. */
const REST_MS = 200

const valueOf = (take: TakeSummary, field: Exclude<FilterField, 'search' | 'tag'>) => take.conditions[field]

/** Narrows the list by words and by conditions. The address keeps what was chosen. */
export function SearchBar() {
  const { takes, filter, setFilter } = useLibrary()
  const [params, setParams] = useSearchParams()
  const [search, setSearch] = useState(params.get('search') ?? '')
  const { libraryOrder, setLibraryOrder } = useSettings()
  const choices = useMemo(() => choicesOf(takes ?? []), [takes])

  useEffect(() => {
    void setFilter(filterOf(params))
  }, [params, setFilter])

  const change = (field: FilterField, value: string) =>
    setParams(
      (current) => {
        const next = new URLSearchParams(current)
        if (value === '') next.delete(field)
        else next.set(field, value)
        return next
      },
      { replace: true },
    )
  useEffect(() => {
    if (search === (params.get('search') ?? '')) return
    const timer = setTimeout(() => change('search', search), REST_MS)
    return () => clearTimeout(timer)
    // The address follows the typing, not the other way round.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [search])

  return (
    <search className="mb-4 flex flex-wrap items-center gap-2">
      <SearchField
        label="Search takes"
        placeholder="Search names, notes, tags, conditions"
        value={search}
        onChange={setSearch}
        className="h-8 w-80"
      />
      {choices.map(({ field, values }) => (
        <select
          key={field}
          aria-label={`Only this ${field}`}
          value={filter[field] ?? ''}
          className={`h-8 max-w-52 rounded border bg-leaf px-2 ${filter[field] === undefined ? 'border-line text-faint' : 'border-ink'}`}
          onChange={(event) => change(field, event.target.value)}
        >
          <option value="">any {field}</option>
          {[...new Set([...values, ...(filter[field] === undefined ? [] : [filter[field]])])].map((value) => (
            <option key={value} value={value}>
              {value}
            </option>
          ))}
        </select>
      ))}
      <select
        aria-label="Order of takes"
        value={libraryOrder}
        className="h-8 rounded border border-line bg-leaf px-2 text-faint"
        onChange={(event) => setLibraryOrder(event.target.value as Order)}
      >
        {ORDERS.map((order) => (
          <option key={order} value={order}>
            {ORDER_WORDS[order]}
          </option>
        ))}
      </select>
      {Object.keys(filter).length > 0 && (
        <IconButton
          label="Show all takes"
          onClick={() => {
            setSearch('')
            setParams({}, { replace: true })
          }}
        >
          <X size={15} />
        </IconButton>
      )}
    </search>
  )
}

/** Per field, the values that occur; a field in which all agree needs no choice, unless it is chosen. */
function choicesOf(takes: TakeSummary[]): { field: FilterField; values: string[] }[] {
  const distinct = (values: (string | undefined)[]) =>
    [...new Set(values.filter((value) => value !== undefined))].sort()
  return [
    { field: 'tag' as const, values: distinct(takes.flatMap(({ tags }) => tags)) },
    ...(['device', 'build', 'scene', 'mode'] as const).map((field) => ({
      field,
      values: distinct(takes.map((take) => valueOf(take, field))),
    })),
  ].filter(({ values }) => values.length > 0)
}
