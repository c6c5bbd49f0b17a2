import type { TakeDetail } from '@lapsus/api'
import {
  causeWords,
  figureWords,
  LOAD_HEADS,
  loadCells,
  type FrameRow,
  type LoadRow,
  type PathRow,
} from '@lapsus/core/compare'
import { dateTime, ms, plural, three } from '@lapsus/core/words'
import { ArrowLeftRight } from 'lucide-react'
import { useEffect, useMemo, useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { gamesApi } from '../api/games.ts'
import { Button } from '../components/button.tsx'
import { differenceColumns, reach } from '../components/difference-columns.tsx'
import { Hint } from '../components/hint.tsx'
import { PathName } from '../components/path-name.tsx'
import { Table, type TableColumn } from '../components/table.tsx'
import { Words } from '../components/words.tsx'
import { ToLibrary } from '../shell/to-library.tsx'
import { notify } from '../state/notices.ts'
import { TakeAwayMenu } from '../shell/take-away-menu.tsx'
import { ThemeButton } from '../shell/theme-button.tsx'
import type { Place, SideName } from './comparer.ts'
import { JoinBand } from './join-band.tsx'
import { SideStrip } from './side-strip.tsx'
import { TwoPages } from './two-pages.tsx'
import { theComparer, useComparison, type ComparisonState } from './use-comparison.ts'

/** Takes before against takes after; the address names them. */
export function ComparePage() {
  const [params] = useSearchParams()
  const [before, after] = [params.get('before') ?? '', params.get('after') ?? '']
  const { state, error } = useComparison(before, after)
  useEffect(() => {
    document.title = 'Comparison – Lapsus'
  }, [])
  return (
    <div className="grid h-full grid-rows-[auto_minmax(0,1fr)]">
      <header className="flex h-12 items-center gap-3 border-b border-line px-3">
        <ToLibrary />
        <h1 className="font-serif text-lg font-semibold whitespace-nowrap">Comparison</h1>
        {state !== null && <Sides state={state} />}
        <span className="grow" />
        {state !== null && <Keep state={state} />}
        <Hint text="The other way round">
          <Link
            to={`/compare?${new URLSearchParams({ before: after, after: before })}`}
            aria-label="The other way round"
            className="text-faint hover:text-ink"
          >
            <ArrowLeftRight size={16} />
          </Link>
        </Hint>
        {before !== '' && after !== '' && (
          <TakeAwayMenu about={{ before: before.split(','), after: after.split(',') }} name="Comparison" />
        )}
        <ThemeButton />
      </header>
      {error !== null ? (
        <Words alarm title="These takes could not be compared">
          {error}
        </Words>
      ) : state === null ? (
        <Words title="Setting the takes against each other…" />
      ) : (
        <Told state={state} />
      )}
    </div>
  )
}

/** Puts the comparison among what was tried. */
function Keep({ state: { before, after, compared } }: { state: ComparisonState }) {
  const [kept, setKept] = useState(false)
  const idsOf = (details: TakeDetail[]) => details.map(({ id }) => id)
  const keep = () =>
    gamesApi
      .keepComparison({ before: idsOf(before), after: idsOf(after), sentence: compared.told.sentence })
      .then(
        () => setKept(true),
        (failure: Error) => notify(failure.message),
      )
  return (
    <Button
      disabled={kept}
      title="It stands among what was tried in the game then"
      onClick={() => void keep()}
    >
      {kept ? 'Kept' : 'Keep'}
    </Button>
  )
}

const nameOf = ({ name, game, started }: TakeDetail): string => `${name || game}, ${dateTime(started)}`

function Sides({ state }: { state: ComparisonState }) {
  const side = (details: TakeDetail[]) =>
    details.map((detail) => (
      <Link
        key={detail.id}
        to={`/takes/${detail.id}`}
        className="truncate underline decoration-line underline-offset-2"
      >
        {nameOf(detail)}
      </Link>
    ))
  return (
    <span className="flex min-w-0 items-center gap-2 text-[12.5px]">
      {side(state.before)}
      <span className="text-faint">before,</span>
      {side(state.after)}
      <span className="text-faint">after</span>
    </span>
  )
}

const NONE_LIT = new Uint32Array()

function Told({ state }: { state: ComparisonState }) {
  const { told, tookMs } = state.compared
  const [pair, setPair] = useState<Record<SideName, Place> | null>(null)
  const [lit, setLit] = useState<Record<SideName, Uint32Array> | null>(null)
  const budgetMs = 1000 / state.before[0]!.target
  const { speed, paired, seconds } = told
  const frames = useMemo(
    () => ({ before: state.compared.before.length, after: state.compared.after.length }),
    [state.compared],
  )
  const strip = (side: SideName) => (
    <SideStrip
      words={side}
      workNs={state.compared[side]}
      budgetMs={budgetMs}
      lit={lit?.[side] ?? NONE_LIT}
      frame={pair?.[side].at ?? null}
      onPick={(frame) => void theComparer().pair(side, frame).then(setPair)}
    />
  )
  return (
    <div className="h-full overflow-y-auto" data-testid="comparison" data-ms={tookMs}>
      <p className="border-b border-line px-4 py-3 text-[15px]" data-testid="comparison-words">
        {told.sentence}
      </p>
      {told.alike.differences.length > 0 && (
        <p className="border-b border-line px-4 py-2 text-[12.5px]" role="note">
          <b className="font-medium">Not alike:</b> {told.alike.differences.join('; ')}.
        </p>
      )}
      {strip('before')}
      <JoinBand joins={state.compared.joins} frames={frames} pair={pair} />
      {strip('after')}
      {pair === null ? (
        <p className="px-4 py-1 text-xs text-faint">Choose a frame above to see it beside its counterpart.</p>
      ) : (
        <TwoPages state={state} pair={pair} budgetMs={budgetMs} close={() => setPair(null)} />
      )}
      <div className="px-4 py-2">
        <h2 className="mb-1 font-serif text-base">Frames</h2>
        <Table
          label="Figures of frames"
          columns={figureColumns(told.frames)}
          rows={told.frames}
          keyOf={({ figure }) => figure}
        />
        {told.loads.length > 0 && <Loads rows={told.loads} />}
        <h2 className="mt-4 mb-1 font-serif text-base">Paths, those that changed most first</h2>
        <Paths
          state={state}
          onChosen={(row) =>
            row === null ? setLit(null) : void theComparer().lit(row.path, row.lane).then(setLit)
          }
        />
        <p className="py-3 text-xs text-faint">
          Differences and intervals are at equal speed of the machine
          {speed.telling === 0
            ? ', which too few paths tell here: nothing is taken out'
            : `: unchanged code took ${three(speed.ratio)} × as long after (${three(speed.low)} to ${three(speed.high)}, told by ${plural(speed.telling, 'path')})`}
          . {paired && 'Both are the same run, and are compared frame by frame. '}
          {three(seconds.before)} s before, {three(seconds.after)} s after. “The same” lies within 1 % of the
          budget.
        </p>
      </div>
    </div>
  )
}

const LOAD_ABOUTS = [
  'A gauge that counts something, whose middle differs by more than 15 %',
  'Middle over the frames',
  'Middle over the frames',
  'Work of a frame by one of the load',
  'The same, at equal speed of the machine',
  'What the other load alone costs more or less, by the law that the work followed before',
]

function Loads({ rows }: { rows: LoadRow[] }) {
  const columns = LOAD_HEADS.map((head, i): TableColumn<LoadRow> => ({
    ...{ id: head, head, about: LOAD_ABOUTS[i]! },
    ...(i === 0 ? { align: 'left' as const } : {}),
    cell: (row) => loadCells(row)[i],
  }))
  return (
    <>
      <h2 className="mt-4 mb-1 font-serif text-base">Loads that differ</h2>
      <Table label="Loads that differ" columns={columns} rows={rows} keyOf={({ name }) => name} />
    </>
  )
}

const IN_MS = new Set(['mean', 'p50', 'p95', 'p99', 'overTime'])

function figureColumns(rows: FrameRow[]): TableColumn<FrameRow>[] {
  const inMs = reach(rows.filter(({ figure }) => IN_MS.has(figure)))
  return [
    {
      id: 'figure',
      head: 'figure',
      about: 'Of whole frames',
      align: 'left',
      width: '19%',
      cell: ({ figure }) => figureWords(figure).words,
    },
    {
      id: 'before',
      head: 'before',
      about: 'As recorded',
      cell: (row) => figureWords(row.figure).of(row.before),
    },
    {
      id: 'after',
      head: 'after',
      about: 'As recorded',
      cell: (row) => figureWords(row.figure).of(row.after),
    },
    ...differenceColumns<FrameRow>({
      about: {
        difference: 'After less before; of times at equal speed of the machine',
        interval: 'About zero: left is less',
        verdict:
          'Better or worse where the interval leaves zero out; else how many more seconds to record on each side until it probably does',
      },
      widths: { interval: '26%', verdict: '18%' },
      words: (value, { figure }) => figureWords(figure).of(value),
      most: (row) => (IN_MS.has(row.figure) ? inMs : reach([row])),
    }),
  ]
}

function Paths({ state, onChosen }: { state: ComparisonState; onChosen(row: PathRow | null): void }) {
  const { told } = state.compared
  const [chosen, setChosen] = useState<string | null>(null)
  const most = reach(told.paths)
  const keyOf = ({ lane, path }: PathRow) => [lane, ...path].join('\n')
  const columns: TableColumn<PathRow>[] = [
    {
      id: 'path',
      head: 'path',
      about: 'Names of its markers',
      align: 'left',
      width: '24%',
      cell: ({ path }) => <PathName path={path} />,
    },
    {
      id: 'before',
      head: 'before',
      about: 'Own time a frame, as recorded',
      cell: ({ before }) => ms(before.msPerFrame),
    },
    {
      id: 'after',
      head: 'after',
      about: 'Own time a frame, as recorded',
      cell: ({ after }) => ms(after.msPerFrame),
    },
    ...differenceColumns<PathRow>({
      about: {
        difference: 'Own time a frame at equal speed of the machine, after less before',
        interval: 'About zero: left is less',
        verdict: 'After asking all paths (Benjamini and Hochberg)',
      },
      widths: { interval: '23%', verdict: '18%' },
      words: ms,
      most: () => most,
    }),
  ]
  const row = told.paths.find((one) => keyOf(one) === chosen)
  return (
    <>
      <Table
        label="Paths before and after"
        columns={columns}
        rows={told.paths}
        keyOf={keyOf}
        isChosen={(one) => keyOf(one) === chosen}
        onChoose={(one) => {
          const next = keyOf(one) === chosen ? null : one
          setChosen(next === null ? null : keyOf(next))
          onChosen(next)
        }}
      />
      {row !== undefined && <Chosen row={row} state={state} />}
    </>
  )
}

/** What became of one path, with ways to it in either take. */
function Chosen({ row, state }: { row: PathRow; state: ComparisonState }) {
  const link = (details: TakeDetail[], path: number | null, words: string) =>
    path !== null && (
      <Link to={`/takes/${details[0]!.id}?sight=ledger&path=${path}`} className="underline">
        {words}
      </Link>
    )
  return (
    <p
      className="sticky bottom-0 flex gap-4 border-t border-line bg-leaf px-3 py-2 text-[12.5px]"
      data-testid="chosen-path"
    >
      <b className="font-medium">{row.path.join(' › ')}</b> {causeWords(row)}
      <span className="grow" />
      {link(state.before, row.pathBefore, 'in the take before')}
      {link(state.after, row.pathAfter, 'in the take after')}
    </p>
  )
}
