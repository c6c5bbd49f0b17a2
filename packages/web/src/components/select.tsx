interface SelectProps<T extends string> {
  label: string
  values: readonly T[]
  words(value: T): string
  value: T
  onChange(value: T): void
}

/** One of several, of which only the chosen one is in sight. */
export function Select<T extends string>({ label, values, words, value, onChange }: SelectProps<T>) {
  return (
    <select
      aria-label={label}
      title={label}
      value={value}
      className="h-7 min-w-0 rounded border border-line bg-leaf px-1 text-xs"
      onChange={(event) => onChange(event.target.value as T)}
    >
      {values.map((one) => (
        <option key={one} value={one}>
          {words(one)}
        </option>
      ))}
    </select>
  )
}
