import { useState } from 'react'
import { useNavigate } from 'react-router'
import type { TakeSummary } from '@lapsus/api'
import { Button } from '../components/button.tsx'
import { Choice } from '../components/choice.tsx'
import { Window } from '../components/window.tsx'
import { tellApart } from '../format/conditions.ts'
import { compareAddress, likelySides, type Side } from './sides.ts'

const WORDS: Record<Side, string> = { before: 'before', after: 'after' }

/** Of more than two takes: which are before, and which after. */
export function CompareWindow(props: {
  takes: readonly TakeSummary[]
  open: boolean
  onOpenChange(open: boolean): void
}) {
  return (
    <Window title="Compare" about="Several takes on a side count as one." {...props}>
      <Sides takes={props.takes} />
    </Window>
  )
}

function Sides({ takes }: { takes: readonly TakeSummary[] }) {
  const navigate = useNavigate()
  const [sides, setSides] = useState(() => likelySides(takes))
  const apart = tellApart(takes)
  const isWhole = new Set(takes.map(({ id }) => sides.get(id))).size === 2
  return (
    <>
      <ul className="mb-4 max-h-96 overflow-y-auto">
        {takes.map((take) => (
          <li key={take.id} className="flex items-center gap-3 border-b border-line py-1.5">
            <Choice
              label={`Side of ${take.name || take.game}`}
              values={['before', 'after'] as const}
              words={WORDS}
              value={sides.get(take.id) ?? 'after'}
              onChange={(side) => setSides(new Map(sides).set(take.id, side))}
            />
            <span className="min-w-0 grow truncate">{apart(take)}</span>
          </li>
        ))}
      </ul>
      <Button strong disabled={!isWhole} onClick={() => void navigate(compareAddress(takes, sides))}>
        Compare
      </Button>
      {!isWhole && <span className="ml-3 text-xs text-faint">A take is needed on each side.</span>}
    </>
  )
}
