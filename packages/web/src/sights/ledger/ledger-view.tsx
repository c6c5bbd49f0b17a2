import { LEDGER_SCOPES, type LedgerScope, type LedgerAnswer } from '@lapsus/core/questions/ledger'
import { useVirtualizer } from '@tanstack/react-virtual'
import {
  ChevronDown,
  ChevronRight,
  ChevronsDownUp,
  ChevronsUpDown,
  Copy,
  Download,
  Scale,
} from 'lucide-react'
import { useEffect, useMemo, useRef, useState, type CSSProperties } from 'react'
import { BudgetsWindow } from '../../budgets/budgets-window.tsx'
import { ShareChip } from '../../budgets/group-share.tsx'
import { IconButton } from '../../components/button.tsx'
import { Choice } from '../../components/choice.tsx'
import { Hint } from '../../components/hint.tsx'
import { Select } from '../../components/select.tsx'
import { Words } from '../../components/words.tsx'
import { percent, three } from '@lapsus/core/words'
import { copyText, saveText } from '../../state/take-away.ts'
import type { OpenTake } from '../../state/take.ts'
import { useFramesQuery } from '../../state/frames-query.ts'
import { useSettings } from '../../state/settings.ts'
import { askedBy, GROUPINGS, UNITS, useView, type Grouping, type Sort, type Unit } from '../../state/view.ts'
import { CourseCard } from './course-card.tsx'
import {
  detailOf,
  detailsIn,
  DETAILS,
  inUnit,
  ledgerCsv,
  ledgerLines,
  type Detail,
  type LedgerLine,
  type Scope,
} from './rows.ts'
import { useLedger } from './use-ledger.ts'

const ROW_PX = 25
/** Figures below this only clutter the table; the CSV has them in full. */
const LEAST_SHOWN = 0.001
/** Differences of frames that hardly differ are as good as none. */
const shown = (value: number): string =>
  value > 0 && value < LEAST_SHOWN ? `<${LEAST_SHOWN}` : Math.abs(value) < LEAST_SHOWN ? '0' : three(value)
const GRID = 'grid items-center gap-x-1'
/** Width of the columns after the name, with one for each of the details shown. */
const columnsOf = (details: Detail[], wide: boolean): CSSProperties => ({
  gridTemplateColumns: wide
    ? `minmax(0,1fr) 4.2rem 4.2rem 4.2rem 4.2rem ${'4.6rem '.repeat(details.length)} 6.4rem`
    : 'minmax(0,1fr) 3.6rem 3.6rem 3.4rem 3.9rem',
})
/** What is left out where there is little room. */
const ONLY_WIDE: Sort = 'p99'
const UNIT_WORDS: Record<Unit, string> = {
  frame: 'ms a frame',
  second: 'ms a second',
  share: 'share of the budget',
}
const BY_WORDS: Record<Grouping, string> = {
  path: 'path',
  marker: 'marker',
  group: 'group',
  lane: 'lane',
  caller: 'caller',
}
const SCOPE_WORDS: Record<LedgerScope, string> = {
  chosen: 'all chosen',
  spikes: 'spikes',
  typical: 'typical',
  difference: 'spikes − typical',
}

const COLUMNS: { sort: Sort; head: string; about: string }[] = [
  { sort: 'self', head: 'self', about: 'Time in the marker itself, without the markers inside it.' },
  {
    sort: 'total',
    head: 'total',
    about: 'Time in the marker and everything inside it; counted once where it calls itself.',
  },
  {
    sort: 'p99',
    head: 'self p99',
    about:
      '99th percentile of the self time per frame, in ms, over all frames chosen; frames in which it did not run count as 0.',
  },
  { sort: 'calls', head: 'calls', about: 'Runs per frame, on average over the frames chosen.' },
]

interface LedgerProps {
  take: OpenTake
  budgetMs: number
  /** Whether there is room for what the chosen path did over the take. */
  wide?: boolean
}

/** Where the time of the chosen frames went. */
export function LedgerView({ take, budgetMs, wide: isAlone = false }: LedgerProps) {
  // Between findings and plan there is no room for all columns.
  const wide = useSettings(({ planOpen, findingsOpen }) => isAlone && !(planOpen && findingsOpen))
  const { by, unit, sort, search, scope: frames, path, change } = useView()
  const query = useFramesQuery(take)
  const asked = useMemo(() => ({ ...query, by: askedBy(by), scope: frames }), [query, by, frames])
  const { ledger, error, stale } = useLedger(take.detail.id, asked)
  const [budgetsOpen, setBudgetsOpen] = useState(false)
  const [closed, setClosed] = useState<ReadonlySet<number>>(new Set())
  const lines = useMemo(
    () =>
      ledger === null || ledger.by !== askedBy(by)
        ? []
        : ledgerLines(ledger, take, { by, sort, search }, closed),
    [ledger, take, by, sort, search, closed],
  )
  const details = useMemo(() => (wide ? detailsIn(ledger) : []), [ledger, wide])
  const scope = useMemo(() => scopeOf(take, ledger, budgetMs), [take, ledger, budgetMs])

  return (
    <section
      aria-label="Ledger"
      className="flex h-full min-h-0 flex-col"
      data-testid="ledger"
      data-stale={stale}
    >
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-line px-3 py-1.5">
        <OneOf
          wide={wide}
          label="Group by"
          values={GROUPINGS}
          words={BY_WORDS}
          value={by}
          onChange={(value) => change({ by: value })}
        />
        <OneOf
          wide={wide}
          label="Unit"
          values={UNITS}
          words={UNIT_WORDS}
          value={unit}
          onChange={(value) => change({ unit: value })}
        />
        <OneOf
          wide={wide}
          label="Frames"
          values={LEDGER_SCOPES}
          words={SCOPE_WORDS}
          value={frames}
          onChange={(value) => change({ scope: value })}
        />
        <input
          id="ledger-search"
          type="search"
          aria-label="Search by name"
          placeholder="Search  /"
          value={search}
          className="h-7 w-20 grow rounded border border-line bg-leaf px-2"
          onChange={(event) => change({ search: event.target.value })}
          onKeyDown={(event) => {
            event.stopPropagation()
            if (event.key === 'Escape') event.currentTarget.blur()
          }}
        />
        <div className="flex">
          {by === 'path' && (
            <>
              <IconButton
                label="Fold all"
                onClick={() => setClosed(new Set(take.paths.all.map(({ id }) => id)))}
              >
                <ChevronsDownUp size={15} />
              </IconButton>
              <IconButton label="Unfold all" onClick={() => setClosed(new Set())}>
                <ChevronsUpDown size={15} />
              </IconButton>
            </>
          )}
          {by === 'group' && (
            <IconButton label="Budgets of groups" onClick={() => setBudgetsOpen(true)}>
              <Scale size={15} />
            </IconButton>
          )}
          <IconButton
            label="Copy as CSV"
            onClick={() => void copyText(ledgerCsv(lines, take), `${lines.length} lines are`)}
          >
            <Copy size={15} />
          </IconButton>
          <IconButton label="Save as CSV" onClick={() => saveCsv(lines, take, query)}>
            <Download size={15} />
          </IconButton>
        </div>
      </div>
      <Head sort={sort} details={details} wide={wide} onSort={(value) => change({ sort: value })} />
      {error !== null ? (
        <Words alarm title="The ledger could not be read">
          {error}
        </Words>
      ) : ledger === null ? (
        <Words title="Adding up…" />
      ) : ledger.frames === 0 ? (
        <Words title={`There are no ${frames === 'typical' ? 'typical frames' : 'spikes'} among these`}>
          {frames === 'typical'
            ? 'Every frame sticks out.'
            : 'No frame sticks out of those around it and is over budget.'}
        </Words>
      ) : lines.length === 0 ? (
        <Words title={search === '' ? 'Nothing ran in these frames' : `Nothing is called “${search}”`}>
          {search === ''
            ? 'No marker was entered in the frames chosen.'
            : 'The search looks at markers’ names, in the frames chosen.'}
        </Words>
      ) : (
        <Lines
          lines={lines}
          details={details}
          wide={wide}
          unit={unit}
          scope={scope}
          showShares={by === 'group' && frames === 'chosen'}
          toggle={(path) =>
            setClosed((current) => {
              const next = new Set(current)
              if (!next.delete(path)) next.add(path)
              return next
            })
          }
        />
      )}
      <BudgetsWindow take={take} budgetMs={budgetMs} open={budgetsOpen} onOpenChange={setBudgetsOpen} />
      {isAlone && path !== null && (
        <CourseCard
          take={take}
          path={path}
          wholeMarker={by === 'marker'}
          rows={ledger?.by === 'path' ? ledger.rows : []}
          scope={scope}
        />
      )}
    </section>
  )
}

interface OneOfProps<T extends string> {
  wide: boolean
  label: string
  values: readonly T[]
  words: Record<T, string>
  value: T
  onChange(value: T): void
}

/** A choice with all its values in sight, where there is room. */
function OneOf<T extends string>({ wide, words, ...choice }: OneOfProps<T>) {
  return wide ? <Choice words={words} {...choice} /> : <Select words={(value) => words[value]} {...choice} />
}

/** Time is that of the frames themselves: between kept stretches there is some that nobody recorded. */
function scopeOf({ frames }: OpenTake, ledger: LedgerAnswer | null, budgetMs: number): Scope {
  if (ledger === null) return { frames: 1, durationMs: 1, budgetMs }
  const { from, to, durationMs } = ledger
  const allNs = () => frames.durationNs.subarray(from, to + 1).reduce((sum, ns) => sum + ns, 0)
  return { frames: ledger.frames, durationMs: durationMs ?? allNs() / 1e6, budgetMs }
}

interface HeadProps {
  sort: Sort
  details: Detail[]
  wide: boolean
  onSort(sort: Sort): void
}

function Head({ sort, details, wide, onSort }: HeadProps) {
  const cell = (value: Sort, head: string, about: string, align: string) => (
    <Hint key={value} text={about}>
      <button
        type="button"
        aria-pressed={sort === value}
        className={`${align} whitespace-nowrap ${sort === value ? 'font-semibold text-ink' : ''} hover:text-ink`}
        onClick={() => onSort(value)}
      >
        {head}
        {sort === value && ' ↓'}
      </button>
    </Hint>
  )
  return (
    <div
      style={columnsOf(details, wide)}
      className={`${GRID} border-b border-line py-1 pr-4 pl-3 text-xs text-faint`}
    >
      {cell('name', 'name', 'The marker’s name; in a tree, below the marker it ran in.', 'text-left')}
      {COLUMNS.filter((column) => wide || column.sort !== ONLY_WIDE).map(({ sort: value, head, about }) =>
        cell(value, head, about, 'text-right'),
      )}
      {details.map((detail) => cell(detail, DETAILS[detail].head, DETAILS[detail].about, 'text-right'))}
      <Hint text="Self time per frame as a share of the frame budget.">
        <span className="text-right">of budget</span>
      </Hint>
    </div>
  )
}

interface LinesProps {
  lines: LedgerLine[]
  details: Detail[]
  wide: boolean
  unit: Unit
  scope: Scope
  /** Whether lines are groups that may have a budget of their own. */
  showShares: boolean
  toggle(path: number): void
}

function Lines({ lines, details, wide, unit, scope, showShares, toggle }: LinesProps) {
  const scroller = useRef<HTMLDivElement>(null)
  const path = useView((view) => view.path)
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_PX,
    overscan: 12,
  })
  const chosen = lines.findIndex((line) => line.path !== null && line.path === path)
  useEffect(() => {
    if (chosen >= 0) rows.scrollToIndex(chosen, { align: 'auto' })
  }, [chosen, rows])
  return (
    <div
      ref={scroller}
      role="table"
      aria-label="Where the time went"
      className="min-h-0 grow overflow-y-scroll"
    >
      <div style={{ height: rows.getTotalSize(), position: 'relative' }}>
        {rows.getVirtualItems().map(({ index, start }) => (
          <div
            key={lines[index]!.row.key}
            className="absolute right-0 left-0"
            style={{ top: start, height: ROW_PX }}
          >
            <Line
              line={lines[index]!}
              chosen={index === chosen}
              details={details}
              wide={wide}
              unit={unit}
              scope={scope}
              showShares={showShares}
              toggle={toggle}
            />
          </div>
        ))}
      </div>
    </div>
  )
}

interface LineProps {
  line: LedgerLine
  chosen: boolean
  details: Detail[]
  wide: boolean
  unit: Unit
  scope: Scope
  /** Whether lines are groups that may have a budget of their own. */
  showShares: boolean
  toggle(path: number): void
}

function Line({ line, chosen, details, wide, unit, scope, showShares, toggle }: LineProps) {
  const change = useView((view) => view.change)
  const { row, path, indent, children, open } = line
  const figure = (sumMs: number) => {
    const value = inUnit(sumMs, unit, scope)
    if (unit === 'share') return percent(value)
    return shown(value)
  }
  const share = inUnit(row.selfMs, 'share', scope)
  return (
    <div
      role="row"
      tabIndex={0}
      aria-selected={chosen}
      style={columnsOf(details, wide)}
      className={`${GRID} h-full pr-1 pl-3 tabular-nums outline-offset-[-2px] ${chosen ? 'bg-pick' : 'hover:bg-line/35'}`}
      onClick={() => change({ path: chosen ? null : path })}
      onDoubleClick={() => change({ frame: row.worstFrame, path })}
      onKeyDown={(event) => {
        if (event.key === 'Enter') change({ path: chosen ? null : path })
      }}
    >
      <span
        role="cell"
        className="flex min-w-0 items-center overflow-hidden"
        style={{ paddingLeft: indent * 14 }}
      >
        {children > 0 ? (
          <button
            type="button"
            aria-label={`${open ? 'Fold' : 'Unfold'} ${line.name}`}
            aria-expanded={open}
            className="mr-0.5 text-faint hover:text-ink"
            onClick={(event) => {
              event.stopPropagation()
              toggle(path!)
            }}
          >
            {open ? <ChevronDown size={14} /> : <ChevronRight size={14} />}
          </button>
        ) : (
          <span className="inline-block w-4 shrink-0" />
        )}
        <span className="truncate" title={line.name}>
          {line.name}
        </span>
        {line.waits && <span className="ml-1.5 shrink-0 text-xs text-faint">waits</span>}
        {indent === 0 && line.lane !== 'main' && (
          <span className="ml-1.5 shrink-0 text-xs text-faint">{line.lane}</span>
        )}
        {showShares && line.lane === 'main' && (
          <ShareChip group={line.name} meanMs={row.selfMs / Math.max(1, scope.frames)} />
        )}
      </span>
      <span role="cell" className="text-right">
        {figure(row.selfMs)}
      </span>
      <span role="cell" className="text-right text-faint">
        {figure(row.totalMs)}
      </span>
      {wide && (
        <span role="cell" className="text-right">
          <button
            type="button"
            className="hover:underline"
            title={`Worst: ${three(row.worstSelfMs)} ms in frame ${row.worstFrame}. Click to read that frame.`}
            onClick={(event) => {
              event.stopPropagation()
              change({ frame: row.worstFrame, path: path ?? null })
            }}
          >
            {three(row.selfP99Ms)}
          </button>
        </span>
      )}
      <span role="cell" className="text-right text-faint">
        {shown(row.calls / scope.frames)}
      </span>
      {details.map((detail) => (
        <span key={detail} role="cell" className="text-right text-faint">
          {detailOf(detail, row, scope)}
        </span>
      ))}
      <span role="cell" className="flex items-center justify-end gap-1.5 pr-1">
        {wide && (
          <span className="h-2 w-8 shrink-0 overflow-hidden rounded-sm bg-line/60" aria-hidden>
            <span
              className={`block h-full ${line.waits ? 'bg-faint/50' : share > 1 ? 'bg-alarm' : 'bg-work'}`}
              style={{ width: `${Math.max(0, Math.min(100, share * 100))}%` }}
            />
          </span>
        )}
        <span className="w-13 text-right text-xs whitespace-nowrap">{percent(share)}</span>
      </span>
    </div>
  )
}

function saveCsv(lines: LedgerLine[], take: OpenTake, { from, to }: { from: number; to: number }): void {
  saveText(
    `${take.detail.name || take.detail.game} frames ${from}-${to}.csv`,
    'text/csv',
    ledgerCsv(lines, take),
  )
}
