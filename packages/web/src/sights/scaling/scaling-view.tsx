import { axis } from '../../components/look.ts'
import { ask } from '../../api/ask.ts'
import { SCALING, type ScalingAnswer } from '@lapsus/core/questions/scaling'
import { useCallback } from 'react'
import { costAt } from '@lapsus/core/detect'
import { ms, percent, plural, three } from '@lapsus/core/words'
import type { ChartConfiguration } from 'chart.js'
import { useAnswer } from '../../api/use-answer.ts'
import type { Palette } from '../../components/palette.ts'
import { Chart } from '../../components/chart.tsx'
import { Select } from '../../components/select.tsx'
import { Words } from '../../components/words.tsx'
import { useFramesQuery } from '../../state/frames-query.ts'
import type { OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'
import { scalingWords } from './scaling-words.ts'

/** What a cost grows with, and the load at which the budget breaks. */
export function ScalingView({ take, budgetMs }: { take: OpenTake; budgetMs: number }) {
  const { path, loads, change } = useView()
  const framesQuery = useFramesQuery(take)
  const query = { ...framesQuery, path, loads }
  const { answer, error } = useAnswer(`${take.detail.id} scaling ${JSON.stringify(query)}`, (signal) =>
    ask(
      SCALING,
      take.detail.id,
      framesQuery,
      { ...(path === null ? {} : { path }), ...(loads.length === 0 ? {} : { loads: loads.join(',') }) },
      signal,
    ),
  )
  if (error !== null)
    return (
      <Words alarm title="The scaling could not be worked out">
        {error}
      </Words>
    )
  if (answer === null) return <Words title="Fitting…" />
  if (answer.loads.length === 0) {
    return (
      <Words title="There is no load to plot against">
        The game sets no gauge that counts something, and tells of no instances:{' '}
        <code>probe.gauge(LETTERS, n)</code>.
      </Words>
    )
  }
  const { chosen } = answer
  const name = path === null ? 'the work of a frame' : take.markers.get(take.paths.get(path).marker)!.name
  const pick = (which: 0 | 1, id: string) => {
    const next = which === 0 ? [id, ...chosen.slice(1)] : id === '' ? [chosen[0]!] : [chosen[0]!, id]
    change({ loads: next })
  }
  const wordsOf = (id: string) =>
    id === ''
      ? 'nothing else'
      : `${answer.loads.find((load) => load.id === id)?.name ?? id}${id.startsWith('class') ? ' (instances)' : ''}`
  const loadName = chosen.map((id) => answer.loads.find((load) => load.id === id)?.name ?? id).join(' × ')
  return (
    <section aria-label="Scaling" className="flex h-full min-h-0 flex-col" data-testid="scaling">
      <div className="flex min-h-9 shrink-0 flex-wrap items-center gap-2 border-b border-line px-3 py-1">
        <b className="font-serif text-base">Scaling</b>
        <span className="text-faint">of</span> {name}
        {path !== null && (
          <button type="button" className="text-xs underline" onClick={() => change({ path: null })}>
            whole frames instead
          </button>
        )}
        <span className="text-faint">against</span>
        <Select
          label="Load"
          values={answer.loads.map(({ id }) => id)}
          words={wordsOf}
          value={chosen[0]!}
          onChange={(id) => pick(0, id)}
        />
        <span className="text-faint">×</span>
        <Select
          label="Second load"
          values={['', ...answer.loads.map(({ id }) => id)]}
          words={wordsOf}
          value={chosen[1] ?? ''}
          onChange={(id) => pick(1, id)}
        />
      </div>
      <p className="border-b border-line px-3 py-2" data-testid="scaling-words">
        {scalingWords(answer, name, loadName, budgetMs)}
      </p>
      <div className="min-h-0 grow p-3">
        <Plot scaling={answer} loadName={loadName} budgetMs={budgetMs} />
      </div>
      <Fits scaling={answer} />
    </section>
  )
}

const CURVE_POINTS = 60

function Plot({
  scaling,
  loadName,
  budgetMs,
}: {
  scaling: ScalingAnswer
  loadName: string
  budgetMs: number
}) {
  const configure = useCallback(
    (palette: Palette): ChartConfiguration => {
      const { points, best, breaksAt, pathId } = scaling
      const most = Math.max(...points.map(({ load }) => load), 0)
      const until = breaksAt !== null && breaksAt < most * 2 ? Math.max(most, breaksAt) : most
      const curve =
        best === null
          ? []
          : Array.from({ length: CURVE_POINTS + 1 }, (_, i) => {
              const load = (until * i) / CURVE_POINTS
              return { x: load, y: costAt(best, load) / 1e6 }
            })
      const showsBudget = pathId === null || Math.max(...points.map(({ costMs }) => costMs)) > budgetMs / 3
      return {
        type: 'scatter',
        data: {
          datasets: [
            {
              data: points.map(({ load, costMs }) => ({ x: load, y: costMs })),
              backgroundColor: palette.work,
              pointRadius: 3,
            },
            {
              type: 'line' as const,
              data: curve,
              borderColor: palette.ink,
              borderWidth: 1.5,
              pointRadius: 0,
            },
            ...(showsBudget
              ? [
                  {
                    type: 'line' as const,
                    data: [
                      { x: 0, y: budgetMs },
                      { x: until, y: budgetMs },
                    ],
                    borderColor: palette.alarm,
                    borderWidth: 1,
                    pointRadius: 0,
                  },
                ]
              : []),
          ],
        },
        options: {
          plugins: {
            tooltip: {
              filter: ({ datasetIndex }) => datasetIndex === 0,
              callbacks: {
                label: ({ dataIndex }) => {
                  const { load, costMs, frames } = points[dataIndex]!
                  return `${ms(costMs)} at ${three(load)}, median of ${plural(frames, 'frame')}`
                },
              },
            },
          },
          scales: {
            x: axis(loadName),
            y: axis('ms a frame'),
          },
        },
      }
    },
    [scaling, loadName, budgetMs],
  )
  if (scaling.points.length === 0) return <Words title="No frame tells of this load" />
  return <Chart label={`Cost against ${loadName}`} configure={configure} />
}

function Fits({ scaling: { fits, best, explained } }: { scaling: ScalingAnswer }) {
  if (best === null) return null
  return (
    <p className="flex flex-wrap gap-x-4 border-t border-line px-3 py-2 text-xs text-faint tabular-nums">
      <span title="Akaike’s criterion, corrected for few points: the lower, the better a law pays for its parameters.">
        laws by AICc:
      </span>
      {[...fits]
        .sort((a, b) => a.aicc - b.aicc)
        .map(({ law, aicc, baseNs, slopeNs }) => (
          <span key={law} className={law === best.law ? 'text-ink' : ''}>
            {law === '1'
              ? `constant ${ms(baseNs / 1e6)}`
              : `${ms(baseNs / 1e6)} + ${three(slopeNs / 1000)} µs · ${law}`}{' '}
            ({three(aicc)})
          </span>
        ))}
      <span className="grow" />
      <span>explains {percent(explained)} of how the points vary</span>
    </p>
  )
}
