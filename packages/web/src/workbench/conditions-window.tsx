import { useState } from 'react'
import type { TakeDetail } from '@lapsus/api'
import { TagEditor } from '../components/tag-editor.tsx'
import { Window } from '../components/window.tsx'
import { conditionRows } from '../format/conditions.ts'
import { useLibrary } from '../state/library.ts'
import { useTake } from '../state/take.ts'
import { TakeProof } from './take-proof.tsx'
import { TakeTroubles } from './take-troubles.tsx'

interface ConditionsWindowProps {
  detail: TakeDetail
  open: boolean
  onOpenChange(open: boolean): void
}

/** The circumstances a take was made under, and what people noted about it. */
export function ConditionsWindow({ detail, open, onOpenChange }: ConditionsWindowProps) {
  const { setNote, setTags } = useLibrary()
  const { patch } = useTake()
  const [note, setDraft] = useState(detail.note)
  const keepNote = () => {
    if (note === detail.note) return
    patch({ note })
    void setNote(detail.id, note)
  }
  return (
    <Window
      title="Conditions"
      about="Takes are comparable only as far as these agree."
      open={open}
      onOpenChange={(next) => {
        // Escape closes the window with the cursor still in the note.
        keepNote()
        onOpenChange(next)
      }}
    >
      <dl className="grid grid-cols-[11rem_1fr] gap-y-1" data-testid="conditions">
        {conditionRows(detail).map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-faint">{name}</dt>
            <dd className="break-words">{value}</dd>
          </div>
        ))}
      </dl>
      <TakeTroubles detail={detail} />
      <TakeProof key={detail.id} detail={detail} />
      <div className="mt-4 border-t border-line pt-4">
        <span className="mb-1 block text-xs text-faint">Tags</span>
        <TagEditor
          tags={detail.tags}
          onChange={(tags) => {
            patch({ tags })
            void setTags(detail.id, tags)
          }}
        />
        <label className="mt-3 block">
          <span className="mb-1 block text-xs text-faint">Note</span>
          <textarea
            value={note}
            rows={3}
            maxLength={10_000}
            className="w-full rounded border border-line bg-paper px-2 py-1"
            onChange={(event) => setDraft(event.target.value)}
            onBlur={keepNote}
          />
        </label>
      </div>
    </Window>
  )
}
