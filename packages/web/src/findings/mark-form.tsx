import type { FindingMark } from '@lapsus/core/questions/diagnosis'
import { useState } from 'react'
import { Button } from '../components/button.tsx'
import { Choice } from '../components/choice.tsx'

interface MarkFormProps {
  onMark(mark: FindingMark['mark'], reason: string): void
  onCancel(): void
}

const MARKS = ['known', 'no-problem'] as const
const WORDS = { known: 'known', 'no-problem': 'not a problem' }

/** Marks a finding in all takes of the game, with a reason. */
export function MarkForm({ onMark, onCancel }: MarkFormProps) {
  const [mark, setMark] = useState<FindingMark['mark']>('known')
  const [reason, setReason] = useState('')
  return (
    <form
      className="space-y-1.5"
      onSubmit={(event) => {
        event.preventDefault()
        onMark(mark, reason.trim())
      }}
    >
      <div className="flex">
        <Choice<FindingMark['mark']>
          label="Mark as"
          values={MARKS}
          words={WORDS}
          value={mark}
          onChange={(next) => setMark(next)}
        />
      </div>
      <input
        aria-label="Reason"
        placeholder="why"
        autoFocus
        maxLength={2000}
        value={reason}
        className="h-7 w-full rounded border border-line bg-leaf px-2"
        onChange={(event) => setReason(event.target.value)}
        onKeyDown={(event) => {
          event.stopPropagation()
          if (event.key === 'Escape') onCancel()
        }}
      />
      <div className="flex gap-1.5">
        <Button type="submit" className="h-7!">
          Mark in all takes
        </Button>
        <Button className="h-7!" onClick={onCancel}>
          Cancel
        </Button>
      </div>
    </form>
  )
}
