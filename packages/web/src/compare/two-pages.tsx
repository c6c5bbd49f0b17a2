import { X } from 'lucide-react'
import { useEffect, useState } from 'react'
import { framesOf } from '../api/frames.ts'
import { IconButton } from '../components/button.tsx'
import { Words } from '../components/words.tsx'
import { PageView } from '../sights/frame/page-view.tsx'
import { openTake, type OpenTake } from '../state/take.ts'
import type { Place, SideName } from './comparer.ts'
import type { ComparisonState } from './use-comparison.ts'

/** A frame and its counterpart, side by side. */
export function TwoPages({
  state,
  pair,
  budgetMs,
  close,
}: {
  state: ComparisonState
  pair: Record<SideName, Place>
  budgetMs: number
  close(): void
}) {
  return (
    <div
      className="relative grid h-96 grid-cols-2 gap-px border-b border-line bg-line"
      data-testid="two-pages"
    >
      {(['before', 'after'] as const).map((side) => (
        <SidePage
          key={side}
          side={side}
          detail={state[side][pair[side].take]!}
          frame={pair[side].frame}
          budgetMs={budgetMs}
        />
      ))}
      <span className="absolute top-0 right-1">
        <IconButton label="Close both pages" onClick={close}>
          <X size={14} />
        </IconButton>
      </span>
    </div>
  )
}

interface SidePageProps {
  side: SideName
  detail: OpenTake['detail']
  frame: number
  budgetMs: number
}

function SidePage({ side, detail, frame, budgetMs }: SidePageProps) {
  const [take, setTake] = useState<OpenTake | null>(null)
  useEffect(() => {
    let current = true
    void framesOf(detail.id).then((frames) => current && setTake(openTake(detail, frames)))
    return () => void (current = false)
  }, [detail])
  return (
    <div className="flex min-h-0 flex-col bg-paper">
      <h2 className="px-3 py-1 text-xs">
        {side}, frame {frame}
      </h2>
      <div className="min-h-0 grow">
        {take === null ? (
          <Words title="Opening…" />
        ) : (
          <PageView take={take} budgetMs={budgetMs} frame={frame} />
        )}
      </div>
    </div>
  )
}
