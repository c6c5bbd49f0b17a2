import { CirclePlay } from 'lucide-react'
import { lazy, Suspense, useEffect, useState } from 'react'
import { Link } from 'react-router'
import type { TakeSummary } from '@lapsus/api'
import { Boundary } from '../components/boundary.tsx'
import { Button } from '../components/button.tsx'
import { later } from '../components/later.tsx'
import { Words } from '../components/words.tsx'
import { useChosen } from '../state/chosen.ts'
import { useLibrary } from '../state/library.ts'
import { useRecordings } from '../state/recordings.ts'
import { ThemeButton } from '../shell/theme-button.tsx'
import { DeletedTakes } from './deleted-takes.tsx'
import { ImportButton, ImportProgress } from './import-progress.tsx'
import { RecordingProgress } from './progress.tsx'
import { SearchBar } from './search-bar.tsx'
import { JobList } from './job-list.tsx'
import { LeftByGames } from './left-by-games.tsx'
import { SignedIn } from '../access/signed-in.tsx'
import { StorageLine } from './storage-line.tsx'

/** Comes while the server is asked what there is. */
export const TakeList = later(async () => (await import('./take-list.tsx')).TakeList)

/** All takes, by game, newest first. */
export function Library() {
  const { takes, error, filter, load, setFilter } = useLibrary()
  const isFiltered = Object.keys(filter).length > 0
  const { active, resume } = useRecordings()
  /** Null until it is first opened; then it stays, so that the focus goes back where it was. */
  const [recordOpen, setRecordOpen] = useState<boolean | null>(null)
  /** Whether the list has come, or cannot be had: which its boundary then says. */
  const [isFetched, setFetched] = useState(false)
  useEffect(() => {
    document.title = 'Lapsus'
    const fetched = () => setFetched(true)
    TakeList.fetch().then(fetched, fetched)
    // The takes themselves are asked for by the search bar, which knows what is searched for.
    void resume()
  }, [resume])
  return (
    <div className="mx-auto flex min-h-full max-w-6xl flex-col px-6">
      <header className="flex items-center gap-3 py-5">
        <h1 className="font-serif text-2xl font-semibold">Lapsus</h1>
        <span className="grow text-faint">where the frame budget slips</span>
        <ImportButton />
        <Link
          to="/record"
          className="inline-flex h-8 items-center rounded border border-line bg-leaf px-3 font-medium hover:border-faint"
        >
          Record your own game
        </Link>
        <Button strong onClick={() => setRecordOpen(true)}>
          <CirclePlay size={16} /> Record the demo game
        </Button>
        <ThemeButton />
      </header>
      {recordOpen !== null && (
        <Boundary instead={null}>
          <Suspense fallback={null}>
            <RecordWindow open={recordOpen} onOpenChange={setRecordOpen} />
          </Suspense>
        </Boundary>
      )}
      <div className="mb-4 flex flex-col gap-2 empty:hidden">
        <ImportProgress />
        {active.map((recording) => (
          <RecordingProgress key={recording.id} recording={recording} />
        ))}
        <JobList />
      </div>
      <SearchBar />
      {error !== null ? (
        <Words alarm title="The library could not be read">
          {error}{' '}
          <button type="button" className="underline" onClick={() => void load()}>
            Try again
          </button>
        </Words>
      ) : takes === null || (!isFetched && takes.length > 0) ? (
        <Words title="Opening the library…" />
      ) : takes.length === 0 && isFiltered ? (
        <Words title="No take is like that">
          <button type="button" className="underline" onClick={() => void setFilter({})}>
            Show all takes
          </button>
        </Words>
      ) : takes.length === 0 ? (
        <Words title="No takes yet">
          Record the demo game, import a take file, or{' '}
          <Link to="/record" className="underline">
            record a game of your own
          </Link>
          .
        </Words>
      ) : (
        <Boundary>
          <Suspense fallback={null}>
            <TakeList takes={takes} />
          </Suspense>
        </Boundary>
      )}
      <Chosen takes={takes ?? []} />
      <DeletedTakes />
      <LeftByGames />
      <StorageLine takes={takes} />
      <SignedIn />
    </div>
  )
}

const RecordWindow = lazy(async () => ({ default: (await import('./record-window.tsx')).RecordWindow }))

/** Comes with the first take that is chosen. */
const ChosenBar = lazy(async () => ({ default: (await import('./chosen-bar.tsx')).ChosenBar }))

function Chosen({ takes }: { takes: readonly TakeSummary[] }) {
  const ids = useChosen((chosen) => chosen.takes)
  const chosen = ids.flatMap((id) => takes.find((take) => take.id === id) ?? [])
  return chosen.length === 0 ? null : (
    <Boundary instead={null}>
      <Suspense fallback={null}>
        <ChosenBar takes={chosen} />
      </Suspense>
    </Boundary>
  )
}
