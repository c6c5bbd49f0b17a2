import type { LedgerAnswer } from '@lapsus/core/questions/ledger'
import { laneOfKey } from '@lapsus/core/rollup'
import { ms, OUTSIDE, percent } from '@lapsus/core/words'
import { useMemo, useState } from 'react'
import { BudgetsWindow } from '../../budgets/budgets-window.tsx'
import { Table } from '../../components/table.tsx'
import { Words } from '../../components/words.tsx'
import { useFramesQuery } from '../../state/frames-query.ts'
import { useSettings } from '../../state/settings.ts'
import type { OpenTake } from '../../state/take.ts'
import { askedBy, useView, type Sort } from '../../state/view.ts'
import { CourseCard } from './course-card.tsx'
import { tableColumns } from './ledger-columns.tsx'
import { LedgerTools } from './ledger-tools.tsx'
import { ledgerLines, outsideMs, type Basis } from './rows.ts'
import { useLedger } from './use-ledger.ts'

const ROW_PX = 25

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
  const basis = useMemo(() => basisOf(take, ledger, budgetMs), [take, ledger, budgetMs])
  const columns = useMemo(
    () =>
      tableColumns({
        ...{ rows: ledger?.rows ?? [], unit, basis, wide },
        ...{ game: take.detail.game, chosen: path },
        showShares: by === 'group' && frames === 'chosen',
        toggle: (one) =>
          setClosed((current) => {
            const next = new Set(current)
            if (!next.delete(one)) next.add(one)
            return next
          }),
      }),
    [ledger, unit, basis, wide, by, frames, take.detail.game, path],
  )

  return (
    <section
      aria-label="Ledger"
      className="flex h-full min-h-0 flex-col"
      data-testid="ledger"
      data-stale={stale}
    >
      <LedgerTools
        take={take}
        lines={lines}
        query={query}
        wide={wide}
        fold={(all) => setClosed(new Set(all ? take.paths.all.map(({ id }) => id) : []))}
        openBudgets={() => setBudgetsOpen(true)}
      />
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
        <Table
          label="Where the time went"
          columns={columns}
          rows={lines}
          keyOf={({ row }) => row.key}
          rowPx={ROW_PX}
          sort={{ by: sort, onSort: (id) => change({ sort: id as Sort }) }}
          isChosen={(line) => line.path !== null && line.path === path}
          onChoose={(line) => change({ path: line.path === path ? null : line.path })}
          onOpen={(line) => change({ frame: line.row.worstFrame, path: line.path })}
        />
      )}
      {ledger !== null && ledger.frames > 0 && search === '' && frames !== 'difference' && (
        <Outside take={take} ledger={ledger} basis={basis} />
      )}
      <BudgetsWindow take={take} budgetMs={budgetMs} open={budgetsOpen} onOpenChange={setBudgetsOpen} />
      {isAlone && path !== null && (
        <CourseCard
          take={take}
          path={path}
          wholeMarker={by === 'marker'}
          rows={ledger?.by === 'path' ? ledger.rows : []}
          basis={basis}
        />
      )}
    </section>
  )
}

/** The last line: what no marker stands for. */
function Outside({ take, ledger, basis }: { take: OpenTake; ledger: LedgerAnswer; basis: Basis }) {
  const laneOf = ledger.by === 'path' ? (key: number) => take.paths.get(key).lane : laneOfKey
  const outside = outsideMs(ledger.rows, basis, laneOf)
  return (
    <p
      className="shrink-0 border-t border-line px-3 py-1 text-[12.5px] text-faint"
      title="Duration of the frames less the own times of all lines of the main lane, waits included"
      data-testid="outside"
    >
      {OUTSIDE}: <b className="font-medium text-ink tabular-nums">{ms(outside)}</b> a frame,{' '}
      {percent((outside * ledger.frames) / basis.durationMs)} of it
    </p>
  )
}

/** Time is that of the frames themselves: between kept stretches there is some that nobody recorded. */
function basisOf({ frames }: OpenTake, ledger: LedgerAnswer | null, budgetMs: number): Basis {
  if (ledger === null) return { frames: 1, durationMs: 1, budgetMs }
  const { from, to, durationMs } = ledger
  const allNs = () => frames.durationNs.subarray(from, to + 1).reduce((sum, ns) => sum + ns, 0)
  return { frames: ledger.frames, durationMs: durationMs ?? allNs() / 1e6, budgetMs }
}
