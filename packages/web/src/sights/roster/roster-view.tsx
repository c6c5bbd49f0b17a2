import { ask } from '../../api/ask.ts'
import { ROSTER, type RosterRow } from '@lapsus/core/questions/roster'
import { Copy, Download } from 'lucide-react'
import { useMemo, useState } from 'react'
import { duration, percent, three } from '@lapsus/core/words'
import { useAnswer } from '../../api/use-answer.ts'
import { IconButton } from '../../components/button.tsx'
import { Choice } from '../../components/choice.tsx'
import { PlaceLink } from '../../code/place-link.tsx'
import { SearchField } from '../../components/search-field.tsx'
import { Table, type TableColumn } from '../../components/table.tsx'
import { copyText, saveText } from '../../state/take-away.ts'
import { Words } from '../../components/words.tsx'
import { useFramesQuery } from '../../state/frames-query.ts'
import type { OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'
import {
  changesPerSecond,
  idleShare,
  rosterCsv,
  rosterLines,
  verdictOf,
  type RosterSort,
} from './roster-rows.ts'

const GROUPED = ['flat', 'grouped'] as const
const GROUPED_WORDS = { flat: 'one list', grouped: 'by group' }

/** Everything that updates: does this need to run, and this often? */
export function RosterView({ take }: { take: OpenTake }) {
  const query = useFramesQuery(take)
  const { answer, error } = useAnswer(`${take.detail.id} roster ${JSON.stringify(query)}`, (signal) =>
    ask(ROSTER, take.detail.id, query, {}, signal),
  )
  const { path, change } = useView()
  const [search, setSearch] = useState('')
  const [sort, setSort] = useState<RosterSort>('frame')
  const [grouping, setGrouping] = useState<(typeof GROUPED)[number]>('flat')
  const columns = useMemo(() => columnsOf(take), [take])
  const lines = useMemo(
    () =>
      answer === null ? [] : rosterLines(answer.rows, { search, sort, grouped: grouping === 'grouped' }),
    [answer, search, sort, grouping],
  )
  if (error !== null)
    return (
      <Words alarm title="The roster could not be read">
        {error}
      </Words>
    )
  if (answer === null) return <Words title="Calling the roll…" />
  const shown = lines.flatMap(({ rows }) => rows)
  return (
    <section aria-label="Roster" className="flex h-full min-h-0 flex-col" data-testid="roster">
      <div className="flex h-9 shrink-0 items-center gap-3 border-b border-line px-3">
        <b className="font-serif text-base">Roster</b>
        <span className="truncate text-faint">does this need to run, and this often?</span>
        <span className="grow" />
        <SearchField
          label="Search the roster"
          placeholder="Search"
          value={search}
          onChange={setSearch}
          className="h-7 w-36"
        />
        <Choice
          label="Grouping"
          values={GROUPED}
          words={GROUPED_WORDS}
          value={grouping}
          onChange={(next) => setGrouping(next)}
        />
        <div className="flex">
          <IconButton
            label="Copy as CSV"
            onClick={() => void copyText(rosterCsv(shown), `${shown.length} rows are`)}
          >
            <Copy size={15} />
          </IconButton>
          <IconButton
            label="Save as CSV"
            onClick={() =>
              saveText(`${take.detail.name || take.detail.game} roster.csv`, 'text/csv', rosterCsv(shown))
            }
          >
            <Download size={15} />
          </IconButton>
        </div>
      </div>
      {shown.length === 0 ? (
        <Words title={search === '' ? 'Nothing runs regularly' : `Nothing is called “${search}”`}>
          The roster lists updaters, and markers that run in nine of ten frames or at a steady interval.
        </Words>
      ) : (
        <div className="min-h-0 grow overflow-y-auto">
          {lines.map(({ group, rows }) => (
            <div key={group ?? ''}>
              {group !== null && <h3 className="px-2 pt-3 font-serif text-base">{group || '(no group)'}</h3>}
              <Table
                label={group === null ? 'Roster' : `Roster of ${group}`}
                columns={columns}
                rows={rows}
                keyOf={({ sort: kind, name, marker }) => `${kind} ${name} ${marker}`}
                sort={{ by: sort, onSort: (by) => setSort(by as RosterSort) }}
                isChosen={(row) => row.path !== null && row.path === path}
                onChoose={(row) => change({ path: row.path === path ? null : row.path })}
              />
            </div>
          ))}
        </div>
      )}
    </section>
  )
}

const shareOrNone = (share: number | null) => (share === null ? '' : percent(share))

const columnsOf = ({ markers, detail }: OpenTake): TableColumn<RosterRow>[] => [
  {
    id: 'name',
    head: 'what runs',
    about:
      'A class of updaters, or a marker that runs in at least nine of ten frames or at a steady interval.',
    align: 'left',
    cell: ({ name, sort, group, marker }) => (
      <>
        {name} <span className="text-xs text-faint">{sort === 'updater' ? 'updaters' : group}</span>{' '}
        <PlaceLink at={marker === null ? null : markers.get(marker)?.at} game={detail.game} />
      </>
    ),
  },
  {
    id: 'instances',
    head: 'instances',
    about: 'Updaters registered, and how many of them are enabled, on average.',
    cell: ({ instances, enabled }) =>
      instances === null ? '' : `${three(enabled ?? 0)} of ${three(instances)}`,
  },
  {
    id: 'every',
    head: 'every',
    about: 'From one run to the next, in frames; in ms where updaters ask for an interval; then the phase.',
    cell: ({ everyFrames, everyMs, phase }) =>
      (everyMs ?? 0) > 0
        ? `${three(everyMs!)} ms`
        : everyFrames === null
          ? 'irregular'
          : everyFrames === 1
            ? 'frame'
            : `${everyFrames} frames, at ${phase}`,
  },
  {
    id: 'runs',
    head: 'runs/s',
    about: 'Runs a second of recorded time.',
    cell: ({ runsPerSecond }) => three(runsPerSecond),
  },
  {
    id: 'frame',
    head: 'ms/frame',
    about: 'With everything inside it, on average over the chosen frames.',
    cell: ({ msPerFrame }) => three(msPerFrame),
  },
  {
    id: 'hour',
    head: 'an hour',
    about: 'What it takes in an hour of play like this.',
    cell: ({ msPerHour }) => duration(msPerHour),
  },
  {
    id: 'needless',
    head: 'needless',
    about: 'Share of its runs that said they changed nothing.',
    cell: ({ needless }) => shareOrNone(needless),
  },
  {
    id: 'changes',
    head: 'changes/s',
    about: 'How often what it declares to watch changes, a second.',
    cell: (row) => {
      const changes = changesPerSecond(row)
      return changes === null ? (
        ''
      ) : (
        <span title={row.watches.map(({ name }) => name).join(', ')}>{three(changes)}</span>
      )
    },
  },
  {
    id: 'idle',
    head: 'idle',
    about: 'Share of the enabled instances that are unseen, far or asleep: the largest of the three.',
    cell: (row) => (
      <span
        title={`unseen ${shareOrNone(row.unseen)}, far ${shareOrNone(row.far)}, asleep ${shareOrNone(row.asleep)}`}
      >
        {shareOrNone(idleShare(row))}
      </span>
    ),
  },
  {
    id: 'verdict',
    head: 'needs to run?',
    about: 'What these figures say, in a few words.',
    align: 'left',
    cell: (row) => <span className="text-faint">{verdictOf(row)}</span>,
  },
]
