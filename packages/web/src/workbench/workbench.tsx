import { useCallback, useEffect, useMemo, useState } from 'react'
import { Link, useParams, useSearchParams } from 'react-router'
import { Words } from '../components/words.tsx'
import { LiveView } from '../live/live-view.tsx'
import { FindingsColumn } from '../findings/findings-column.tsx'
import { PlanColumn } from '../plan/plan-column.tsx'
import { useBudgets } from '../state/budgets.ts'
import { follow, useLive } from '../state/live.ts'
import { takeWithoutRecorder, useTake, type OpenTake } from '../state/take.ts'
import { FIRST_VIEW, useView } from '../state/view.ts'
import { Strip } from '../strip/strip.tsx'
import { fetchSight, Middle } from './middle.tsx'
import { FrozenBar } from './frozen-bar.tsx'
import { Header } from './header.tsx'
import { Help } from './help.tsx'
import { SightTabs } from './sight-tabs.tsx'
import { StretchBar } from './stretch-bar.tsx'
import { useAddress } from './use-address.ts'
import { useShortcuts } from './use-shortcuts.ts'

/** One take: while it is being recorded, live; then, or frozen, the strip above, a frame's page and the ledger. */
export function Workbench() {
  const { take: id } = useParams()
  const [params] = useSearchParams()
  const { take: recorded, error, open } = useTake()
  const { target: chosenTarget, withoutRecorder } = useView()
  const { frozen, freeze } = useLive()
  const [help, setHelp] = useState(false)
  const openHelp = useCallback(() => setHelp(true), [])
  const take = useMemo(
    () => (recorded !== null && withoutRecorder ? takeWithoutRecorder(recorded) : recorded),
    [recorded, withoutRecorder],
  )
  const target = chosenTarget ?? take?.detail.target ?? 60
  const budgetMs = 1000 / target
  const isRecording = take?.detail.id === id && take?.detail.state === 'recording'
  const isLive = isRecording && !frozen

  useEffect(() => void open(id!), [id, open])
  // What the address shows comes while the take does.
  // eslint-disable-next-line react-hooks/exhaustive-deps
  useEffect(() => fetchSight(params.get('sight') ?? FIRST_VIEW.sight), [])
  useEffect(() => {
    // An address that names a frame is about that frame.
    if (isRecording) return follow(id!, params.has('frame'))
    // Only the address that the take is opened with counts.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [id, isRecording])
  useEffect(() => {
    document.title = take === null ? 'Lapsus' : `${take.detail.name || take.detail.game} – Lapsus`
  }, [take])
  const toggleFreeze = useCallback(
    (frame: number | null) => {
      const last = (useTake.getState().take?.frames.startNs.length ?? 1) - 1
      useView.getState().change({ frame: Math.max(0, frame ?? last), range: null, path: null })
      freeze(true)
    },
    [freeze],
  )
  const isRead = useAddress(take, isLive)
  useShortcuts(take, budgetMs, {
    openHelp,
    ...(isRecording && { freeze: () => (frozen ? freeze(false) : toggleFreeze(null)) }),
  })

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
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)] grid-rows-[auto_minmax(0,1fr)]">
      <Header take={take} target={target} openHelp={openHelp} />
      <Help open={help} onOpenChange={setHelp} />
      {isLive ? (
        <LiveView take={take} budgetMs={budgetMs} freeze={toggleFreeze} />
      ) : (
        isRead && <Study take={take} budgetMs={budgetMs} />
      )}
    </div>
  )
}

/** The take at rest: the strip above; findings, and the evidence for them. */
function Study({ take, budgetMs }: { take: OpenTake; budgetMs: number }) {
  const frames = take.frames.startNs.length
  const { id } = take.detail
  useEffect(() => void useBudgets.getState().load(id), [id])
  if (frames === 0) {
    return (
      <Words title="There is no frame in this take">
        The game ended, or its stream broke off, before its first frame was complete.
      </Words>
    )
  }
  return (
    <div className="flex min-h-0 flex-col">
      {take.detail.state === 'recording' && <FrozenBar frames={frames} />}
      {take.detail.stretches.length > 0 && <StretchBar take={take} />}
      <div className="h-37 shrink-0 border-b border-line">
        <Strip key={take.detail.id} take={take} budgetMs={budgetMs} />
      </div>
      <div className="flex min-h-0 grow">
        <FindingsColumn take={take} budgetMs={budgetMs} />
        <div className="flex min-w-0 grow flex-col">
          <SightTabs take={take} />
          <div className="min-h-0 grow">
            <Middle take={take} budgetMs={budgetMs} />
          </div>
        </div>
        <PlanColumn take={take} />
      </div>
    </div>
  )
}
