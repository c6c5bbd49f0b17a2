import type { Place } from '@lapsus/core/format'
import { Settings2 } from 'lucide-react'
import { useState } from 'react'
import { useSettings } from '../state/settings.ts'
import { addressOf, whatIsWrong } from './place-address.ts'
import { Button, IconButton } from '../components/button.tsx'
import { PlaceLink } from './place-link.tsx'
import { Window } from '../components/window.tsx'

/** Where in the code, with how it is opened, and the lines around it where they were kept. */
export function CodePlace({ at, game }: { at: Place | null | undefined; game: string }) {
  const [setting, setSetting] = useState(false)
  if (at === null || at === undefined) return null
  return (
    <div className="min-w-0">
      <span className="flex items-center gap-1">
        <PlaceLink at={at} game={game} />
        <IconButton label="How code is opened" onClick={() => setSetting(true)}>
          <Settings2 size={13} />
        </IconButton>
      </span>
      {at.source !== null && <SourceLines at={at} source={at.source} />}
      <Window
        title="Opening code"
        about={`Places in the code of ${game} are opened by an address, or copied where none is set.`}
        open={setting}
        onOpenChange={setSetting}
      >
        <PatternForm at={at} game={game} onDone={() => setSetting(false)} />
      </Window>
    </div>
  )
}

function SourceLines({ at, source }: { at: Place; source: NonNullable<Place['source']> }) {
  return (
    <pre
      className="mt-1 overflow-x-auto rounded border border-line bg-leaf py-1 font-mono text-[11px] leading-4"
      aria-label={`Code around line ${at.line}, as it was when it was recorded`}
      data-testid="source"
      tabIndex={0}
    >
      {source.lines.map((line, i) => {
        const number = source.from + i
        return (
          <code
            key={number}
            className={`block w-max min-w-full pr-2 ${number === at.line ? 'bg-line/60 font-semibold' : ''}`}
          >
            <span className="inline-block w-9 pr-2 text-right text-faint select-none">{number}</span>
            {line}
          </code>
        )
      })}
    </pre>
  )
}

function PatternForm({ at, game, onDone }: { at: Place; game: string; onDone(): void }) {
  const { placePatterns, setPlacePattern } = useSettings()
  const [pattern, setPattern] = useState(placePatterns[game] ?? '')
  const wrong = pattern === '' ? null : whatIsWrong(pattern)
  return (
    <form
      className="space-y-2"
      onSubmit={(event) => {
        event.preventDefault()
        if (wrong !== null) return
        setPlacePattern(game, pattern)
        onDone()
      }}
    >
      <input
        aria-label="Address, with {file} and {line}"
        placeholder="editor://open?file=/home/me/game/{file}&line={line}"
        autoFocus
        maxLength={1000}
        value={pattern}
        className="h-8 w-full rounded border border-line bg-leaf px-2 font-mono text-xs"
        onChange={(event) => setPattern(event.target.value.trim())}
      />
      <p className="min-h-4 text-xs break-all text-faint" role="status">
        {wrong ?? (pattern === '' ? 'Without an address a click copies the place.' : addressOf(pattern, at))}
      </p>
      <Button type="submit" disabled={wrong !== null}>
        Set
      </Button>
    </form>
  )
}
