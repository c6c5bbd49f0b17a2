import { Columns2, X } from 'lucide-react'
import { IconButton } from '../../components/button.tsx'
import { quietFrame } from '../../findings/show.ts'
import { LedgerView } from '../ledger/ledger-view.tsx'
import { CompareList } from './compare-list.tsx'
import { FrameSamples } from './sample-list.tsx'
import { PageView } from './page-view.tsx'
import type { SightProps } from '../sight.ts'
import { useSettings } from '../../state/settings.ts'
import { useView } from '../../state/view.ts'
import { FrameStills } from '../../stills/frame-stills.tsx'
import { FrameBar, ScopeBar } from './frame-bar.tsx'

/** A frame's page, with the ledger or another frame beside it. */
export function FrameSight({ take, budgetMs }: SightProps) {
  const { frame, beside } = useView()
  // Beside the findings and the plan there is room for one more column.
  const alone = useSettings(({ planOpen, findingsOpen }) => planOpen && findingsOpen) && beside === null
  return (
    <div className={`grid h-full min-h-0 ${alone ? 'grid-cols-1' : 'grid-cols-2'}`}>
      <div className="flex min-h-0 min-w-0 flex-col border-r border-line">
        <FrameBar take={take} budgetMs={budgetMs} />
        <div className="min-h-0 grow">
          <PageView take={take} budgetMs={budgetMs} frame={frame} against={beside} mayBePlanned />
        </div>
        <FrameStills take={take} frame={frame} />
        <FrameSamples take={take} />
      </div>
      {!alone && (
        <div className="flex min-h-0 min-w-0 flex-col">
          {beside === null ? (
            <>
              <ScopeBar take={take} />
              <LedgerView take={take} budgetMs={budgetMs} />
            </>
          ) : (
            <Beside take={take} budgetMs={budgetMs} frame={frame} beside={beside} />
          )}
        </div>
      )}
    </div>
  )
}

function Beside({ take, budgetMs, frame, beside }: SightProps & { frame: number; beside: number }) {
  const change = useView((view) => view.change)
  return (
    <>
      <div className="flex h-9 shrink-0 items-center gap-2 border-b border-line px-3">
        <b className="font-serif text-base whitespace-nowrap">frame {beside}</b>
        <span className="truncate text-faint">beside it; ink shows what each has more than the other</span>
        <span className="grow" />
        <IconButton
          label="Another usual frame"
          onClick={() => change({ beside: quietFrame(take, beside, budgetMs) })}
        >
          <Columns2 size={15} />
        </IconButton>
        <IconButton label="The ledger instead (c)" onClick={() => change({ beside: null })}>
          <X size={15} />
        </IconButton>
      </div>
      <div className="min-h-0 grow-[3] basis-0">
        <PageView take={take} budgetMs={budgetMs} frame={beside} against={frame} />
      </div>
      <div className="min-h-0 grow-[2] basis-0 border-t border-line">
        <CompareList take={take} frame={frame} beside={beside} />
      </div>
    </>
  )
}
