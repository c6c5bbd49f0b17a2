import type { KeptComparison, TriedItem } from '@lapsus/api'
import { proofPlace } from '@lapsus/core/compare'
import { dateTime } from '@lapsus/core/words'
import { Trash2 } from 'lucide-react'
import { useState } from 'react'
import { Link } from 'react-router'
import { gamesApi } from '../api/games.ts'
import { useAnswer } from '../api/use-answer.ts'
import { IconButton } from '../components/button.tsx'
import { SearchField } from '../components/search-field.tsx'
import { Table, type TableColumn } from '../components/table.tsx'
import { Words } from '../components/words.tsx'
import { notify } from '../state/notices.ts'

/** Was this tried before? Plans item by item, and comparisons that were kept. */
export function TriedView({ game }: { game: string }) {
  const [search, setSearch] = useState('')
  const [dropped, setDropped] = useState(0)
  const { answer, error } = useAnswer(`tried ${game} ${search} ${dropped}`, (signal) =>
    gamesApi.tried(game, search, signal),
  )
  const drop = (id: string) =>
    gamesApi.dropComparison(id).then(
      () => setDropped(dropped + 1),
      (failure: Error) => notify(failure.message),
    )
  return (
    <div className="h-full overflow-y-auto" data-testid="tried">
      <div className="flex items-center gap-2 border-b border-line px-4 py-2">
        <SearchField
          label="Search what was tried"
          placeholder="Remedy, path, reason, note…"
          value={search}
          onChange={setSearch}
          className="h-8 w-96"
        />
      </div>
      {error !== null ? (
        <Words alarm title="What was tried could not be read">
          {error}
        </Words>
      ) : answer === null ? (
        <Words title="Looking…" />
      ) : answer.items.length === 0 && answer.comparisons.length === 0 ? (
        <Words title={search === '' ? 'Nothing was tried yet' : 'Nothing like that was tried'}>
          Items of the game’s plans stand here, and comparisons that were kept.
        </Words>
      ) : (
        <div className="px-4 py-2">
          {answer.items.length > 0 && (
            <Table
              label="What was tried"
              columns={COLUMNS}
              rows={answer.items}
              keyOf={({ plan, number }) => `${plan} ${number}`}
            />
          )}
          {answer.comparisons.length > 0 && (
            <>
              <h2 className="mt-4 mb-1 font-serif text-base">Comparisons that were kept</h2>
              <ul>
                {answer.comparisons.map((one) => (
                  <Kept key={one.id} kept={one} drop={() => void drop(one.id)} />
                ))}
              </ul>
            </>
          )}
        </div>
      )}
    </div>
  )
}

const COLUMNS: TableColumn<TriedItem>[] = [
  {
    id: 'changed',
    head: 'changed',
    about: 'When its plan was last changed',
    align: 'left',
    cell: ({ changed }) => <span className="whitespace-nowrap">{dateTime(changed)}</span>,
  },
  {
    id: 'what',
    head: 'what',
    about: 'Remedy and path',
    align: 'left',
    cell: ({ words, path, note }) => (
      <>
        {words}: {path.join(' › ') || 'whole frames'}
        {note !== '' && <div className="text-xs text-faint">{note}</div>}
      </>
    ),
  },
  {
    id: 'plan',
    head: 'plan',
    about: 'With the number of the item in it',
    align: 'left',
    cell: ({ plan, planName, take, number }) =>
      take === null ? (
        `${planName || 'a plan'}, ${number}`
      ) : (
        <Link to={`/takes/${take}?plan=${plan}`} className="underline decoration-line underline-offset-2">
          {planName || 'a plan'}, {number}
        </Link>
      ),
  },
  {
    id: 'state',
    head: 'came of it',
    about: 'State, and why it was dropped',
    align: 'left',
    cell: ({ state, reason }) => (reason === '' ? state : `${state}: ${reason}`),
  },
  {
    id: 'proof',
    head: 'proof',
    about: 'Takes recorded with it',
    align: 'left',
    cell: ({ proof }) =>
      proof.map((text, i) => (
        <Link key={text} to={`/takes/${proofPlace(text).take}`} className="mr-2 underline">
          take {i + 1}
        </Link>
      )),
  },
]

function Kept({ kept, drop }: { kept: KeptComparison; drop(): void }) {
  const { before, after, sentence, at } = kept
  const query = new URLSearchParams({ before: before.join(','), after: after.join(',') })
  return (
    <li className="flex items-center gap-3 border-b border-line/50 py-1">
      <span className="text-xs whitespace-nowrap text-faint">{dateTime(at)}</span>
      <Link to={`/compare?${query}`} className="grow underline decoration-line underline-offset-2">
        {sentence}
      </Link>
      <IconButton label="Do not keep this comparison" onClick={drop}>
        <Trash2 size={14} />
      </IconButton>
    </li>
  )
}
