import { useCallback, useEffect, useState } from 'react'
import { Link, useParams } from 'react-router'
import { Words } from '../components/words.tsx'
import { LedgerView } from '../ledger/ledger-view.tsx'
import { PageView } from '../page/page-view.tsx'
import { useTake } from '../state/take.ts'
import { useView } from '../state/view.ts'
import { Strip } from '../strip/strip.tsx'
import { FrameBar, ScopeBar } from './frame-bar.tsx'
import { Header } from './header.tsx'
import { Help } from './help.tsx'
import { useAddress } from './use-address.ts'
import { useShortcuts } from './use-shortcuts.ts'

/** One take: the strip above, a frame's page and the ledger below it. */
export function Workbench() {
  const { take: id } = useParams()
  const { take, error, open } = useTake()
  const chosenTarget = useView((view) => view.target)
  const shownFrame = useView((view) => view.frame)
  const [help, setHelp] = useState(false)
  const openHelp = useCallback(() => setHelp(true), [])
  const target = chosenTarget ?? take?.detail.target ?? 60
  const budgetMs = 1000 / target

  useEffect(() => void open(id!), [id, open])
  useEffect(() => {
    document.title = take === null ? 'Lapsus' : `${take.detail.name || take.detail.game} – Lapsus`
  }, [take])
  useAddress(take)
  useShortcuts(take, budgetMs, openHelp)

  if (error !== null) {
    return (
      <Words alarm title="This take could not be opened">
        {error}.{' '}
        <Link to="/" className="underline">
          To the library
        </Link>
      </Words>
    )
  }
  if (take === null || take.detail.id !== id) return <Words title="Opening the take…" />
  const frames = take.frames.startNs.length
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)] grid-rows-[auto_auto_minmax(0,1fr)]">
      <Header take={take} target={target} openHelp={openHelp} />
      <Help open={help} onOpenChange={setHelp} />
      {frames === 0 ? (
        <Words title="There is no frame in this take">
          {take.detail.state === 'recording'
            ? 'It is only just being recorded. Open it again in a moment.'
            : 'The game ended, or its stream broke off, before its first frame was complete.'}
        </Words>
      ) : (
        // Until the address has been read, the frame of an earlier take may not exist in this one.
        shownFrame < frames && (
          <>
            <div className="h-37 border-b border-line">
              <Strip key={take.detail.id} take={take} budgetMs={budgetMs} />
            </div>
            <div className="grid min-h-0 grid-cols-[minmax(0,11fr)_minmax(0,10fr)]">
              <div className="flex min-h-0 flex-col border-r border-line">
                <FrameBar take={take} budgetMs={budgetMs} />
                <div className="min-h-0 grow">
                  <PageView take={take} budgetMs={budgetMs} />
                </div>
              </div>
              <div className="flex min-h-0 flex-col">
                <ScopeBar take={take} />
                <LedgerView take={take} budgetMs={budgetMs} />
              </div>
            </div>
          </>
        )
      )}
    </div>
  )
}
