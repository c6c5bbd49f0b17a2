import { useWindowVirtualizer } from '@tanstack/react-virtual'
import { ChevronDown, ChevronRight } from 'lucide-react'
import { Link } from 'react-router'
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { TakeSummary } from '@lapsus/api'
import { plural } from '@lapsus/core/words'
import { GAME_VIEWS, GAME_VIEW_WORDS, gameAddress } from '../shell/game-address.ts'
import { useChosen } from '../state/chosen.ts'
import { useLibrary } from '../state/library.ts'
import { useSettings } from '../state/settings.ts'
import { libraryRows, type LibraryRow } from './order.ts'
import { TakeRow } from './take-row.tsx'

/** Heights before a row has been measured, px. */
const HEAD_PX = 44
const ROW_PX = 104
/** Rows beyond the window that are there already: a little later, so that those in it come at once. */
const BEYOND = 6
const BEYOND_AFTER_MS = 500

/** Takes by game; only what is in sight is there, so that thousands open as fast as ten. */
export function TakeList({ takes }: { takes: readonly TakeSummary[] }) {
  const { libraryOrder, foldedGames } = useSettings()
  const rows = useMemo(
    () => libraryRows(takes, libraryOrder, foldedGames),
    [takes, libraryOrder, foldedGames],
  )
  const list = useRef<HTMLUListElement>(null)
  const [beyond, setBeyond] = useState(0)
  useEffect(() => {
    const timer = setTimeout(() => setBeyond(BEYOND), BEYOND_AFTER_MS)
    return () => clearTimeout(timer)
  }, [])
  const [top, setTop] = useState(0)
  useLayoutEffect(() => setTop(list.current!.offsetTop), [])
  const virtual = useWindowVirtualizer({
    count: rows.length,
    estimateSize: (i) => ('game' in rows[i]! ? HEAD_PX : ROW_PX),
    getItemKey: (i) => rows[i]!.key,
    overscan: beyond,
    scrollMargin: top,
  })
  const last = useRef<number | null>(null)
  const choose = (index: number, toLast: boolean) => {
    const { toggle, add } = useChosen.getState()
    if (toLast && last.current !== null) add(takesBetween(rows, last.current, index))
    else toggle(rows[index]!.key)
    last.current = index
  }
  return (
    <ul ref={list} className="relative mb-8" style={{ height: virtual.getTotalSize() }} aria-label="Takes">
      {virtual.getVirtualItems().map(({ index, start, key }) => {
        const row = rows[index]!
        return (
          <li
            key={key}
            ref={virtual.measureElement}
            data-index={index}
            className="absolute inset-x-0 top-0"
            style={{ transform: `translateY(${start - top}px)` }}
          >
            {'game' in row ? (
              <GameHead {...row} />
            ) : (
              <TakeRow take={row.take} onChoose={(toLast) => choose(index, toLast)} />
            )}
          </li>
        )
      })}
    </ul>
  )
}

const takesBetween = (rows: readonly LibraryRow[], one: number, other: number): string[] =>
  rows
    .slice(Math.min(one, other), Math.max(one, other) + 1)
    .flatMap((row) => ('take' in row ? [row.take.id] : []))

function GameHead({ game, takes, folded }: Extract<LibraryRow, { game: string }>) {
  const toggle = useSettings((settings) => settings.toggleGame)
  const isWhole = useLibrary((library) => library.isWhole)
  return (
    <h2 className="flex items-baseline gap-3 border-b border-ink pt-2 pb-1 font-serif text-lg">
      <button
        type="button"
        aria-expanded={!folded}
        className="flex items-center gap-1 hover:underline"
        onClick={() => toggle(game)}
      >
        {folded ? <ChevronRight size={15} /> : <ChevronDown size={15} />}
        {game}
      </button>
      {isWhole && <span className="font-sans text-xs text-faint">{plural(takes.length, 'take')}</span>}
      <span className="grow" />
      {GAME_VIEWS.map((view) => (
        <Link
          key={view}
          to={gameAddress(game, view)}
          className="font-sans text-xs text-faint underline decoration-line underline-offset-2 hover:text-ink"
        >
          {GAME_VIEW_WORDS[view]}
        </Link>
      ))}
    </h2>
  )
}
