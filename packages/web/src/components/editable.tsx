import { useEffect, useState } from 'react'

interface EditableProps {
  value: string
  /** Shown while there is no text. */
  placeholder: string
  label: string
  className?: string
  onCommit(value: string): void
}

/** Text that is edited where it stands: Enter keeps, Escape takes back. */
export function Editable({ value, placeholder, label, className = '', onCommit }: EditableProps) {
  const [draft, setDraft] = useState(value)
  useEffect(() => setDraft(value), [value])
  return (
    <input
      aria-label={label}
      value={draft}
      placeholder={placeholder}
      maxLength={200}
      spellCheck={false}
      className={`field-sizing-content min-w-24 rounded border border-transparent bg-transparent px-1 hover:border-line focus:border-faint ${className}`}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={() => {
        if (draft.trim() !== value) onCommit(draft.trim())
      }}
      onKeyDown={(event) => {
        event.stopPropagation()
        if (event.key === 'Enter') event.currentTarget.blur()
        if (event.key === 'Escape') {
          setDraft(value)
          requestAnimationFrame(() => (event.target as HTMLInputElement).blur())
        }
      }}
    />
  )
}
