import { api } from '../../api/takes.ts'
import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import { proofLines, type ProofLine } from '@lapsus/core/compare'
import { emptyPlan, REMEDIES, type Figures, type Plan } from '@lapsus/core/remedy'
import { bytes, ms, percent, three } from '@lapsus/core/words'
import { Select } from '../../components/select.tsx'
import { Table, type TableColumn } from '../../components/table.tsx'
import { Words } from '../../components/words.tsx'
import { theDesk } from '../../plan/desk-client.ts'
import type { OtherTake } from '../../plan/desk.ts'
import { usePlan } from '../../state/plan.ts'
import type { OpenTake } from '../../state/take.ts'
import { useFramesQuery } from '../../state/frames-query.ts'
import { useView } from '../../state/view.ts'
import { ProofStrip } from './proof-strip.tsx'
import { TakeChoice } from './take-choice.tsx'

/** How right the forecast was: recorded before, forecast, recorded with the fix, side by side. */
export function ProofView({ take, budgetMs }: { take: OpenTake; budgetMs: number }) {
  const { plan, ready, reading } = usePlan()
  const [about, setAbout] = useState<string | null>(null)
  if (plan === null)
    return (
      <Words title="There is no plan to prove">
        Plan a fix, write it, record again, and name that take here: the forecast and what came of it stand
        side by side.
      </Words>
    )
  if (!ready) return <Words title={reading === null ? 'Opening…' : 'Reading the take…'} />
  // An item that was removed meanwhile leaves the whole plan.
  const item = plan.items.find(({ id }) => id === about) ?? null
  return (
    <div className="flex h-full flex-col overflow-y-auto" data-testid="proof">
      <div className="flex h-9 shrink-0 items-center gap-2 border-b border-line px-3">
        <b className="font-serif text-base">Proof</b>
        <span className="text-faint">of</span>
        <Select
          label="What is proved"
          values={['', ...plan.items.map(({ id }) => id)]}
          words={(id) => {
            const place = plan.items.findIndex((one) => one.id === id)
            return place < 0
              ? 'the whole plan'
              : `${place + 1}. ${REMEDIES[plan.items[place]!.remedy].words}, ${plan.items[place]!.path.at(-1) ?? 'whole frames'}`
          }}
          value={item?.id ?? ''}
          onChange={(id) => setAbout(id === '' ? null : id)}
        />
        <span className="whitespace-nowrap text-faint">by the take</span>
        <TakeChoice
          label="Take recorded with the fix"
          none="none yet"
          take={take}
          value={item === null ? plan.proof : item.proof}
          onChange={(proof) => {
            const { change, changeItem } = usePlan.getState()
            if (item === null) change({ proof })
            else changeItem(item.id, { proof })
          }}
        />
      </div>
      <Comparison
        take={take}
        budgetMs={budgetMs}
        takeId={item === null ? plan.proof : item.proof}
        plan={item === null ? plan : { ...emptyPlan(), items: [{ ...item, on: true, state: 'done' }] }}
      />
    </div>
  )
}

interface Compared {
  key: string
  other: OtherTake | null
  forecast: { figures: Figures; workNs: Float64Array } | null
  before: Figures | null
  error: string | null
}

interface ComparisonProps {
  take: OpenTake
  budgetMs: number
  takeId: string | null
  plan: Plan
}

function Comparison({ take, budgetMs, takeId, plan }: ComparisonProps) {
  const withoutRecorder = useView((view) => view.withoutRecorder)
  const key = JSON.stringify([take.detail.id, takeId, plan.items, budgetMs, withoutRecorder])
  const [state, setState] = useState<Compared | null>(null)
  useEffect(() => {
    let current = true
    void compare(takeId, plan, { target: 1000 / budgetMs, withoutRecorder }).then(
      (found) => current && setState({ key, ...found, error: null }),
      (error: Error) =>
        current && setState({ key, other: null, forecast: null, before: null, error: error.message }),
    )
    return () => void (current = false)
    // The key stands for everything that is asked.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key])
  if (state === null || state.key !== key) return <Words title="Comparing…" />
  if (state.error !== null)
    return (
      <Words alarm title="They could not be compared">
        {state.error}
      </Words>
    )
  const { before, forecast, other } = state
  if (before === null || forecast === null) return null
  return (
    <>
      <Strips take={take} forecastNs={forecast.workNs} other={other} budgetMs={budgetMs} />
      {other === null ? (
        <p className="px-4 py-3 text-faint">
          No take is named yet. Write the fix, record the same load again, and choose that take above.
        </p>
      ) : (
        <>
          <Differences differences={other.differences} />
          <ProofTable lines={proofLines(before, forecast.figures, other.figures)} />
          <p className="px-4 py-2 text-xs text-faint">
            <Link to={`/takes/${takeId}`} className="underline">
              Open the take recorded with the fix
            </Link>
          </p>
        </>
      )}
    </>
  )
}

async function compare(
  takeId: string | null,
  plan: Plan,
  judged: { target: number; withoutRecorder: boolean },
) {
  const desk = theDesk()
  const { before, after, workNs } = await desk.figures(plan)
  const other = takeId === null ? null : await desk.compareWith(await api.take(takeId), judged)
  return { before, forecast: { figures: after, workNs }, other }
}

function Differences({ differences }: { differences: string[] }) {
  if (differences.length === 0)
    return <p className="px-4 py-2 text-xs text-faint">Load and conditions of both takes are alike.</p>
  return (
    <div
      role="alert"
      className="mx-4 my-2 rounded border border-alarm/60 px-3 py-1.5 text-[12.5px]"
      data-testid="differences"
    >
      <b className="font-medium">These takes are not alike, so the figures may not be due to the fix:</b>{' '}
      {differences.join('; ')}.
    </div>
  )
}

function Strips({
  take,
  forecastNs,
  other,
  budgetMs,
}: {
  take: OpenTake
  forecastNs: Float64Array
  other: OtherTake | null
  budgetMs: number
}) {
  const { from, to } = useFramesQuery(take)
  const rows = [
    { words: 'recorded before', workNs: take.frames.workNs.subarray(from, to + 1) },
    { words: 'forecast', workNs: forecastNs },
    ...(other === null ? [] : [{ words: 'recorded with the fix', workNs: other.workNs }]),
  ]
  return (
    <div className="shrink-0 border-b border-line">
      {rows.map(({ words, workNs }) => (
        <ProofStrip key={words} words={words} workNs={workNs} budgetMs={budgetMs} />
      ))}
    </div>
  )
}

const shown = (value: number | null, unit: ProofLine['unit']): string => {
  if (value === null) return 'not known'
  if (unit === 'ms') return ms(value)
  return unit === 'bytes' ? bytes(Math.round(value)) : three(value)
}

function ProofTable({ lines }: { lines: ProofLine[] }) {
  const columns: TableColumn<ProofLine>[] = [
    { id: 'words', head: 'figure', about: 'What is compared', align: 'left', cell: ({ words }) => words },
    {
      id: 'before',
      head: 'before',
      about: 'Recorded before the fix',
      cell: ({ before, unit }) => shown(before, unit),
    },
    {
      id: 'forecast',
      head: 'forecast',
      about: 'What the plan was said to bring',
      cell: ({ forecast, unit }) => shown(forecast, unit),
    },
    {
      id: 'after',
      head: 'with the fix',
      about: 'Recorded with the fix',
      cell: ({ after, unit }) => <b className="font-semibold">{shown(after, unit)}</b>,
    },
    {
      id: 'error',
      head: 'forecast off by',
      about: 'Forecast less what was recorded; as a share of the recorded figure',
      cell: ({ error, after, unit }) =>
        error === null || after === null
          ? ''
          : `${error > 0 ? '+' : error < 0 ? '−' : ''}${shown(Math.abs(error), unit)}${after > 0 ? `, ${percent(Math.abs(error) / after)}` : ''}`,
    },
    {
      id: 'near',
      head: '',
      about: 'Within 15 % or 0.3 ms, which forecasts aim for',
      align: 'left',
      cell: ({ near }) =>
        near === null ? '' : near ? 'as aimed' : <span className="text-alarm">further off</span>,
    },
  ]
  return (
    <div className="px-2 py-1">
      <Table label="Before, forecast and after" columns={columns} rows={lines} keyOf={({ id }) => id} />
    </div>
  )
}
