import { useEffect, useState } from 'react'

interface TextFieldProps {
  label: string
  value: string
  lines?: number
  onCommit(value: string): void
}

/** A line or more of text, kept when it is left. */
export function TextField({ label, value, lines = 1, onCommit }: TextFieldProps) {
  const [draft, setDraft] = useState(value)
  useEffect(() => setDraft(value), [value])
  return (
    <textarea
      aria-label={label}
      placeholder={label.toLowerCase()}
      rows={lines}
      value={draft}
      maxLength={10_000}
      className="field-sizing-content block w-full resize-none rounded border border-line bg-leaf px-2 py-0.5 text-xs"
      onChange={(event) => setDraft(event.target.value)}
      onBlur={() => {
        if (draft.trim() !== value) onCommit(draft.trim())
      }}
      onKeyDown={(event) => {
        event.stopPropagation()
        if (event.key === 'Escape') setDraft(value)
        if (event.key === 'Enter' && lines === 1) {
          event.preventDefault()
          event.currentTarget.blur()
        }
      }}
    />
  )
}
