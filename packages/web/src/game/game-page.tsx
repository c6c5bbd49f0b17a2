import { useEffect } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { Choice } from '../components/choice.tsx'
import { GAME_VIEWS, GAME_VIEW_WORDS, gameAddress } from '../shell/game-address.ts'
import { TakeAwayMenu } from '../shell/take-away-menu.tsx'
import { ThemeButton } from '../shell/theme-button.tsx'
import { ToLibrary } from '../shell/to-library.tsx'
import { DevicesView } from './devices-view.tsx'
import { HistoryView } from './history-view.tsx'
import { TriedView } from './tried-view.tsx'

const BODIES = { history: HistoryView, devices: DevicesView, tried: TriedView }

/** A game as a whole: over weeks, over devices, and what was tried in it. The address names game and view. */
export function GamePage() {
  const [params] = useSearchParams()
  const navigate = useNavigate()
  const game = params.get('name') ?? ''
  const view = GAME_VIEWS.find((one) => one === params.get('view')) ?? 'history'
  useEffect(() => {
    document.title = `${game} – Lapsus`
  }, [game])
  const Body = BODIES[view]
  return (
    <div className="grid h-full grid-rows-[auto_minmax(0,1fr)]">
      <header className="flex h-12 items-center gap-3 border-b border-line px-3">
        <ToLibrary />
        <h1 className="font-serif text-lg font-semibold whitespace-nowrap">{game}</h1>
        <Choice
          label="View"
          values={GAME_VIEWS}
          words={GAME_VIEW_WORDS}
          value={view}
          onChange={(next) => void navigate(gameAddress(game, next))}
        />
        <span className="grow" />
        <TakeAwayMenu about={{ game }} name={`${game} ${view}`} />
        <ThemeButton />
      </header>
      <Body key={game} game={game} />
    </div>
  )
}
