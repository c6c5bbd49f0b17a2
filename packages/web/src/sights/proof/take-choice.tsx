import type { TakeSummary } from '@lapsus/api'
import { useEffect, useMemo, useState } from 'react'
import { api } from '../../api/takes.ts'
import { tellApart } from '../../format/conditions.ts'
import { Select } from '../../components/select.tsx'
import type { OpenTake } from '../../state/take.ts'

/** One of the other takes of the game. */
export function TakeChoice({
  label,
  none,
  take,
  value,
  onChange,
}: {
  label: string
  /** What stands where none is chosen. */
  none: string
  take: OpenTake
  value: string | null
  onChange(id: string | null): void
}) {
  const [takes, setTakes] = useState<TakeSummary[]>([])
  const { id, game } = take.detail
  useEffect(() => {
    let current = true
    void api
      .takes({ game })
      .then((found) => current && setTakes(found.filter((one) => one.id !== id && one.state !== 'recording')))
    return () => void (current = false)
  }, [id, game])
  const apart = useMemo(() => tellApart(takes), [takes])
  const known = takes.some((one) => one.id === value)
  return (
    <Select
      label={label}
      values={['', ...(value === null || known ? [] : [value]), ...takes.map((one) => one.id)]}
      words={(one) => {
        const found = takes.find((other) => other.id === one)
        if (found !== undefined) return apart(found)
        return one === '' ? none : 'a take that is gone'
      }}
      value={value ?? ''}
      onChange={(next) => onChange(next === '' ? null : next)}
    />
  )
}
