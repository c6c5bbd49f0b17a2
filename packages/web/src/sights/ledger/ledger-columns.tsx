/** The columns of the ledger's table: those of the core's list, the name in front and the share behind. */
import { ChevronDown, ChevronRight } from 'lucide-react'
import { columnsWith, perFrame, type LedgerColumn, type LedgerEntry } from '@lapsus/core/questions/ledger'
import { percent, three } from '@lapsus/core/words'
import { PlaceLink } from '../../code/place-link.tsx'
import { ShareChip } from '../../budgets/group-share.tsx'
import type { TableColumn } from '../../components/table.tsx'
import { useView, type Unit } from '../../state/view.ts'
import { inUnit, type LedgerLine, type Basis } from './rows.ts'

interface Shown {
  rows: readonly LedgerEntry[]
  unit: Unit
  basis: Basis
  wide: boolean
  /** Whether lines are groups that may have a budget of their own. */
  showShares: boolean
  game: string
  /** The path that is chosen: where there is little room, its line alone tells its place in the code. */
  chosen: number | null
  /** Folds the children of a path away, or shows them again. */
  toggle(path: number): void
}

export function tableColumns({
  rows,
  unit,
  basis,
  wide,
  showShares,
  game,
  chosen,
  toggle,
}: Shown): TableColumn<LedgerLine>[] {
  return [
    {
      id: 'name',
      head: 'name',
      about: 'The marker’s name; in a tree, below the marker it ran in.',
      align: 'left',
      cell: (line) => (
        <Name
          {...{ line, toggle, game }}
          share={showShares ? shareOf(line, basis) : null}
          showPlace={wide || (line.path !== null && line.path === chosen)}
        />
      ),
    },
    ...columnsWith(rows)
      .filter(({ needsRoom }) => wide || !needsRoom)
      .map((column) => figureColumn(column, unit, basis, wide)),
    {
      id: 'share',
      head: 'of budget',
      about: 'Self time per frame as a share of the frame budget.',
      width: wide ? '6.9rem' : '4.4rem',
      sorts: false,
      cell: (line) => <Share line={line} share={inUnit(line.row.selfMs, 'share', basis)} wide={wide} />,
    },
  ]
}

/** Mean self time a frame of a group of the main lane, which may have a budget. */
const shareOf = ({ lane, row }: LedgerLine, { frames }: Basis) =>
  lane === 'main' ? row.selfMs / Math.max(1, frames) : null

function figureColumn(
  { id, head, about, value, words }: LedgerColumn,
  unit: Unit,
  basis: Basis,
  wide: boolean,
): TableColumn<LedgerLine> {
  const text = ({ row }: LedgerLine) => {
    if (words !== 'time') return words(row, basis)
    const figure = inUnit(value(row), unit, basis)
    return unit === 'share' ? percent(figure) : perFrame(figure)
  }
  return {
    ...{ id, head, about },
    width: wide ? '4.9rem' : '4.1rem',
    cell: (line) =>
      id === 'p99' ? (
        <WorstFrame line={line} text={text(line)} />
      ) : (
        <span className={id === 'self' ? '' : 'text-faint'}>{text(line)}</span>
      ),
  }
}

interface NameProps {
  line: LedgerLine
  toggle(path: number): void
  share: number | null
  showPlace: boolean
  game: string
}

function Name({ line, toggle, share, showPlace, game }: NameProps) {
  const { name, lane, path, indent, children, open, waits } = line
  return (
    <span className="flex min-w-0 items-center overflow-hidden" style={{ paddingLeft: indent * 14 }}>
      {children > 0 ? (
        <button
          type="button"
          aria-label={`${open ? 'Fold' : 'Unfold'} ${name}`}
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
      <span className="truncate" title={name}>
        {name}
      </span>
      {showPlace && (
        <span className="ml-2 min-w-0 shrink-[1000] overflow-hidden">
          <PlaceLink at={line.at} game={game} />
        </span>
      )}
      {waits && <span className="ml-1.5 shrink-0 text-xs text-faint">waits</span>}
      {indent === 0 && lane !== 'main' && <span className="ml-1.5 shrink-0 text-xs text-faint">{lane}</span>}
      {share !== null && <ShareChip group={name} meanMs={share} />}
    </span>
  )
}

/** The p99 of a line leads to the frame in which it was worst. */
function WorstFrame({ line: { row, path }, text }: { line: LedgerLine; text: string }) {
  const change = useView((view) => view.change)
  return (
    <button
      type="button"
      className="hover:underline"
      title={`Worst: ${three(row.worstSelfMs)} ms in frame ${row.worstFrame}. Click to read that frame.`}
      onClick={(event) => {
        event.stopPropagation()
        change({ frame: row.worstFrame, path })
      }}
    >
      {text}
    </button>
  )
}

function Share({ line, share, wide }: { line: LedgerLine; share: number; wide: boolean }) {
  return (
    <span className="flex items-center justify-end gap-1.5">
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
  )
}
