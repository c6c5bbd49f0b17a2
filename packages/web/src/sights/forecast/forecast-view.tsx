import {
  figureRows,
  REMEDIES,
  type Assumption,
  type GroupFigures,
  type Weighed,
  type StillOver,
} from '@lapsus/core/remedy'
import { ms, plural, three } from '@lapsus/core/words'
import { Table, type TableColumn } from '../../components/table.tsx'
import { Words } from '../../components/words.tsx'
import { usePlan, weightiest } from '../../state/plan.ts'
import type { OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'
import { PictureView } from './pictures/picture-view.tsx'

/** What the plan would have made of the recorded frames. */
export function ForecastView({ take }: { take: OpenTake }) {
  const { plan, forecast, item, reading, weighed } = usePlan()
  if (plan === null)
    return (
      <Words title="Nothing is planned">
        Choose a finding and take one of its remedies: what it would bring shows here, on the frames you
        recorded.
      </Words>
    )
  if (forecast === null)
    return <Words title={reading === null ? 'Forecasting…' : 'Reading the take to plan on it…'} />
  const { before, after, items, stalenessMs, latencyFrames } = forecast.forecast
  const chosen = items.find(({ id }) => id === item)
  const picture = chosen?.picture ?? null
  return (
    <div className="h-full overflow-y-auto" data-testid="forecast">
      <div className="flex flex-wrap items-start gap-x-6 gap-y-3 px-4 py-3">
        <table className="tabular-nums" aria-label="Before and after the plan">
          <thead className="text-xs text-faint">
            <tr>
              <th className="px-2 text-left font-normal">figure</th>
              <th className="px-2 text-right font-normal">recorded</th>
              <th className="px-2 text-right font-normal">with the plan</th>
            </tr>
          </thead>
          <tbody>
            {figureRows(before, after, weighed?.ranges ?? null).map(([words, was, is]) => (
              <tr key={words} className="border-t border-line/60">
                <td className="py-0.5 pr-3">{words}</td>
                <td className="px-2 text-right whitespace-nowrap text-faint">{was}</td>
                <td
                  className={`px-2 text-right whitespace-nowrap ${was === is ? 'text-faint' : 'font-semibold'}`}
                >
                  {is}
                </td>
              </tr>
            ))}
            <tr className="border-t border-line/60">
              <td className="py-0.5 pr-3">oldest thing shown</td>
              <td className="px-2 text-right text-faint">–</td>
              <td className="px-2 text-right">{stalenessMs === 0 ? 'as before' : ms(stalenessMs)}</td>
            </tr>
            <tr className="border-t border-line/60">
              <td className="py-0.5 pr-3">longest wait for a result</td>
              <td className="px-2 text-right text-faint">–</td>
              <td className="px-2 text-right">
                {latencyFrames === 0 ? 'as before' : plural(latencyFrames, 'frame')}
              </td>
            </tr>
          </tbody>
        </table>
        <div className="min-w-58 flex-1 space-y-3">
          <Weights weighed={weighed} before={before.meanMs} />
          <Groups before={forecast.groupsBefore} after={forecast.groupsAfter} />
        </div>
      </div>
      {picture !== null && (
        <section className="border-t border-line">
          <h3 className="px-4 pt-2 font-serif text-base">
            {REMEDIES[plan.items.find(({ id }) => id === item)!.remedy].words}
          </h3>
          <PictureView picture={picture} />
        </section>
      )}
      <StillOverList take={take} over={forecast.over} all={after.frames.over} />
      <Assumptions
        items={items.flatMap((one, i) => one.assumptions.map((a) => ({ ...a, of: i + 1, item: one.id })))}
      />
      <p className="px-4 py-2 text-xs text-faint" data-testid="took" data-ms={forecast.tookMs}>
        Code that the plan does not touch is taken to cost what it cost. What the plan takes from before a
        wait for graphics or for the refresh is waited instead. Worked out in {three(forecast.tookMs)} ms.
      </p>
    </div>
  )
}

/** The assumptions that move the result most. */
function Weights({ weighed, before }: { weighed: Weighed | null; before: number }) {
  if (weighed === null) return null
  const most = weightiest(weighed)
  return (
    <section data-testid="weights">
      <h3 className="text-xs font-semibold text-faint">What the result hangs on most</h3>
      {most.length === 0 && <p className="text-[12.5px]">Nothing that was assumed moves it by 0.01 ms.</p>}
      {most.map(({ item, name, words, unit, value, low, high }) => (
        <div key={`${item} ${name}`} className="mb-1.5 text-[12.5px]">
          <p>
            If <b className="font-medium">{words}</b> is {three(low.value)} instead of {three(value)}
            {unit === '' ? '' : ` ${unit}`}, a frame takes {ms(low.meanMs)} on average; if it is{' '}
            {three(high.value)}, {ms(high.meanMs)}.
          </p>
          <Swing low={low.meanMs} high={high.meanMs} most={before} />
        </div>
      ))}
    </section>
  )
}

/** From low to high, on a line from nothing to the mean work before the plan. */
function Swing({ low, high, most }: { low: number; high: number; most: number }) {
  const [from, to] = [Math.min(low, high), Math.max(low, high)].map((ms) =>
    Math.min(1, ms / Math.max(most, high, low)),
  )
  return (
    <div
      aria-hidden
      className="relative h-1.5 rounded-sm bg-line/60"
      title="From nothing to the mean work before the plan"
    >
      <span
        className="absolute h-full rounded-sm bg-work"
        style={{ left: `${from! * 100}%`, width: `${Math.max(1, (to! - from!) * 100)}%` }}
      />
    </div>
  )
}

function Groups({ before, after }: { before: GroupFigures[]; after: GroupFigures[] }) {
  const rows = before.filter(({ meanMs, budgetMs }) => budgetMs !== null || meanMs >= 0.05).slice(0, 8)
  const afterOf = new Map(after.map((one) => [one.group, one]))
  return (
    <section>
      <h3 className="text-xs font-semibold text-faint">Groups, mean ms a frame</h3>
      <table className="w-full text-[12.5px] tabular-nums" aria-label="Groups before and after the plan">
        <tbody>
          {rows.map(({ group, meanMs, budgetMs }) => {
            const now = afterOf.get(group)?.meanMs ?? 0
            const isOver = budgetMs !== null && now > budgetMs
            return (
              <tr key={group} className="border-t border-line/60">
                <td className="max-w-24 truncate pr-2">{group || 'no group'}</td>
                <td className="text-right text-faint">{three(meanMs)}</td>
                <td className="px-1 text-center text-faint">→</td>
                <td className={`text-right ${isOver ? 'text-alarm' : ''}`}>{three(now)}</td>
                <td className="pl-2 text-right whitespace-nowrap text-faint">
                  {budgetMs === null ? '' : `${isOver ? 'over' : 'of'} ${three(budgetMs)} ms`}
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
    </section>
  )
}

const MOST_SHOWN = 12

function StillOverList({ take, over, all }: { take: OpenTake; over: StillOver[]; all: number }) {
  const { change } = useView.getState()
  if (all === 0)
    return (
      <p className="border-t border-line px-4 py-2">
        With the plan no frame would have been over the budget.
      </p>
    )
  const nameOf = ({ what, path }: StillOver['because'][number]) =>
    what === 'path'
      ? take.markers.get(take.paths.get(path!).marker)!.name
      : what === 'collections'
        ? 'collections'
        : 'outside any marker'
  const columns: TableColumn<StillOver>[] = [
    {
      id: 'frame',
      head: 'frame',
      about: 'Opens the frame as it would have been',
      align: 'left',
      cell: ({ frame }) => frame,
    },
    {
      id: 'before',
      head: 'recorded',
      about: 'Work of the frame as recorded',
      cell: ({ beforeNs }) => ms(beforeNs / 1e6),
    },
    {
      id: 'after',
      head: 'planned',
      about: 'Work of the frame with the plan',
      cell: ({ afterNs }) => ms(afterNs / 1e6),
    },
    {
      id: 'because',
      head: 'because of',
      about: 'What takes most of the frame then, each by itself',
      align: 'left',
      cell: ({ because }) => because.map((one) => `${nameOf(one)} ${ms(one.ns / 1e6)}`).join(', '),
    },
  ]
  return (
    <section className="border-t border-line px-2 pt-2" data-testid="still-over">
      <h3 className="px-2 font-serif text-base">
        Still over: {plural(all, 'frame')}
        {all > MOST_SHOWN && (
          <span className="ml-2 font-sans text-xs text-faint">the worst {MOST_SHOWN}</span>
        )}
      </h3>
      <Table
        label="Frames that stay over the budget"
        columns={columns}
        rows={over.slice(0, MOST_SHOWN)}
        keyOf={({ frame }) => frame}
        onChoose={({ frame }) => change({ frame, sight: 'frame', planned: true })}
      />
    </section>
  )
}

function Assumptions({ items }: { items: (Assumption & { of: number; item: string })[] }) {
  if (items.length === 0) return null
  const columns: TableColumn<(typeof items)[number]>[] = [
    { id: 'of', head: 'item', about: 'Its place in the plan', align: 'left', cell: ({ of }) => of },
    {
      id: 'words',
      head: 'what',
      about: 'What was taken for given',
      align: 'left',
      cell: ({ words, about }) => <span title={about}>{words}</span>,
    },
    {
      id: 'value',
      head: 'value',
      about: 'The value that counts',
      cell: ({ value, unit }) => `${typeof value === 'number' ? three(value) : value} ${unit}`,
    },
    {
      id: 'origin',
      head: 'from',
      about: 'Measured in this take, or assumed by somebody',
      align: 'left',
      cell: ({ origin }) => origin,
    },
  ]
  return (
    <details className="border-t border-line px-2">
      <summary className="px-2 py-2 text-xs text-faint hover:text-ink">
        {plural(items.length, 'assumption')}
      </summary>
      <Table
        label="Assumptions"
        columns={columns}
        rows={items}
        keyOf={({ item, name }) => `${item} ${name}`}
      />
    </details>
  )
}
