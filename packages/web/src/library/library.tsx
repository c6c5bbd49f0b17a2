import { CirclePlay } from 'lucide-react'
import { useEffect, useMemo, useState } from 'react'
import type { TakeSummary } from '@lapsus/api'
import { Button } from '../components/button.tsx'
import { Words } from '../components/words.tsx'
import { plural } from '@lapsus/core/words'
import { useLibrary } from '../state/library.ts'
import { useRecordings } from '../state/recordings.ts'
import { ThemeButton } from '../shell/theme-button.tsx'
import { DeletedTakes } from './deleted-takes.tsx'
import { ImportButton, ImportProgress } from './import-progress.tsx'
import { RecordingProgress } from './progress.tsx'
import { RecordWindow } from './record-window.tsx'
import { SearchBar } from './search-bar.tsx'
import { SignOut } from '../access/sign-out.tsx'
import { StorageLine } from './storage-line.tsx'
import { TakeRow } from './take-row.tsx'

/** All takes, by game, newest first. */
export function Library() {
  const { takes, error, filter, load, setFilter } = useLibrary()
  const isFiltered = Object.keys(filter).length > 0
  const { active, resume } = useRecordings()
  const [recordOpen, setRecordOpen] = useState(false)
  useEffect(() => {
    document.title = 'Lapsus'
    void load()
    void resume()
  }, [load, resume])
  const games = useMemo(() => Map.groupBy(takes ?? [], (take) => take.game), [takes])

  return (
    <div className="mx-auto flex min-h-full max-w-6xl flex-col px-6">
      <header className="flex items-center gap-3 py-5">
        <h1 className="font-serif text-2xl font-semibold">Lapsus</h1>
        <span className="grow text-faint">where the frame budget slips</span>
        <ImportButton />
        <Button strong onClick={() => setRecordOpen(true)}>
          <CirclePlay size={16} /> Record the demo game
        </Button>
        <ThemeButton />
      </header>
      <ImportProgress />
      <RecordWindow open={recordOpen} onOpenChange={setRecordOpen} />
      {active.map((recording) => (
        <RecordingProgress key={recording.id} recording={recording} />
      ))}
      <SearchBar />
      {error !== null ? (
        <Words alarm title="The library could not be read">
          {error}{' '}
          <button type="button" className="underline" onClick={() => void load()}>
            Try again
          </button>
        </Words>
      ) : takes === null ? (
        <Words title="Opening the library…" />
      ) : takes.length === 0 && isFiltered ? (
        <Words title="No take is like that">
          <button type="button" className="underline" onClick={() => void setFilter({})}>
            Show all takes
          </button>
        </Words>
      ) : takes.length === 0 ? (
        <Words title="No takes yet">
          Record the demo game, import a take file, or put the probe into a game of your own and let it record
          here.
        </Words>
      ) : (
        [...games].map(([game, own]) => <GameTakes key={game} game={game} takes={own} />)
      )}
      <DeletedTakes />
      <StorageLine takes={takes} />
      <SignOut />
    </div>
  )
}

function GameTakes({ game, takes }: { game: string; takes: TakeSummary[] }) {
  return (
    <section className="mb-8">
      <h2 className="flex items-baseline gap-3 border-b border-ink pb-1 font-serif text-lg">
        {game} <span className="font-sans text-xs text-faint">{plural(takes.length, 'take')}</span>
      </h2>
      <ul>
        {takes.map((take) => (
          <TakeRow key={take.id} take={take} />
        ))}
      </ul>
    </section>
  )
}
