interface SearchFieldProps {
  label: string
  placeholder: string
  value: string
  onChange(value: string): void
  /** Its width, and its height where that is another. */
  className: string
}

/** Where words to search for are typed; keys typed here are none of the page's. */
export function SearchField({ label, placeholder, value, onChange, className }: SearchFieldProps) {
  return (
    <input
      type="search"
      aria-label={label}
      placeholder={placeholder}
      value={value}
      className={`rounded border border-line bg-leaf px-2 ${className}`}
      onChange={(event) => onChange(event.target.value)}
      onKeyDown={(event) => event.stopPropagation()}
    />
  )
}
