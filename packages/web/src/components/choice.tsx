import { ToggleGroup } from 'radix-ui'

interface ChoiceProps<T extends string> {
  label: string
  values: readonly T[]
  words: Record<T, string>
  value: T
  onChange(value: T): void
}

/** One of a few, all in sight. */
export function Choice<T extends string>({ label, values, words, value, onChange }: ChoiceProps<T>) {
  return (
    <ToggleGroup.Root
      type="single"
      aria-label={label}
      value={value}
      onValueChange={(next) => next !== '' && onChange(next as T)}
      className="flex rounded border border-line"
    >
      {values.map((one) => (
        <ToggleGroup.Item
          key={one}
          value={one}
          className="h-6.5 px-2 text-xs whitespace-nowrap text-faint first:rounded-l last:rounded-r hover:text-ink data-[state=on]:bg-line/70 data-[state=on]:text-ink"
        >
          {words[one]}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  )
}
