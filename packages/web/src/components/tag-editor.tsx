import { X } from 'lucide-react'
import { useState } from 'react'

interface TagEditorProps {
  tags: readonly string[]
  onChange(tags: string[]): void
}

const MOST_LENGTH = 60

/** A take's tags: type one and press Enter; click the cross to take one off. */
export function TagEditor({ tags, onChange }: TagEditorProps) {
  const [draft, setDraft] = useState('')
  const add = () => {
    const tag = draft.trim()
    setDraft('')
    if (tag !== '' && !tags.includes(tag)) onChange([...tags, tag])
  }
  return (
    <span className="inline-flex flex-wrap items-center gap-1">
      {tags.map((tag) => (
        <span key={tag} className="inline-flex items-center rounded-full bg-line/60 py-0 pr-0.5 pl-2 text-xs">
          {tag}
          <button
            type="button"
            aria-label={`Take off ${tag}`}
            className="rounded-full p-0.5 text-faint hover:text-ink"
            onClick={() => onChange(tags.filter((other) => other !== tag))}
          >
            <X size={11} />
          </button>
        </span>
      ))}
      <input
        aria-label="Add a tag"
        value={draft}
        placeholder="add a tag"
        maxLength={MOST_LENGTH}
        className="field-sizing-content min-w-16 rounded border border-transparent bg-transparent px-1 text-xs hover:border-line focus:border-faint"
        onChange={(event) => setDraft(event.target.value)}
        onBlur={add}
        onKeyDown={(event) => {
          event.stopPropagation()
          if (event.key === 'Enter') add()
        }}
      />
    </span>
  )
}
