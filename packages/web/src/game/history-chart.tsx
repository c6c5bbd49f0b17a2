import { valueWords, type HistoryLine } from '@lapsus/core/history'
import { dateTime } from '@lapsus/core/words'
import type { ChartConfiguration } from 'chart.js'
import { useCallback } from 'react'
import { Chart } from '../components/chart.tsx'
import { axis } from '../components/look.ts'
import type { Palette } from '../components/palette.ts'
import type { Series } from './series.ts'

interface HistoryChartProps {
  line: HistoryLine
  series: Series
  open(take: string): void
}

/** Values take by take, the levels around each change, and the budget if it is near. */
export function HistoryChart({ line, series, open }: HistoryChartProps) {
  const configure = useCallback(
    (palette: Palette): ChartConfiguration => {
      const { takes } = line
      const { values, changes, budget, unit, short } = series
      const most = Math.max(0, ...values.map((value) => value ?? 0))
      const showsBudget = budget !== null && most > budget / 3
      const level = (points: { x: number; y: number }[], colour: string) => ({
        type: 'line' as const,
        data: points,
        borderColor: colour,
        borderWidth: 1.5,
        pointRadius: 0,
      })
      return {
        type: 'scatter',
        data: {
          datasets: [
            {
              data: values.flatMap((value, x) => (value === null ? [] : [{ x, y: value }])),
              backgroundColor: palette.work,
              pointRadius: 4,
            },
            ...changes.map(({ at, before, after }, i) =>
              level(
                [
                  { x: changes[i - 1]?.at ?? 0, y: before },
                  { x: at - 0.5, y: before },
                  { x: at - 0.5, y: after },
                  { x: (changes[i + 1]?.at ?? takes.length) - 1, y: after },
                ],
                palette.ink,
              ),
            ),
            ...(showsBudget
              ? [
                  level(
                    [
                      { x: 0, y: budget },
                      { x: takes.length - 1, y: budget },
                    ],
                    palette.alarm,
                  ),
                ]
              : []),
          ],
        },
        options: {
          onClick: (_, elements) => {
            const point = elements.find(({ datasetIndex }) => datasetIndex === 0)
            if (point !== undefined) open(takes[takeAt(values, point.index)]!.id)
          },
          plugins: {
            tooltip: {
              filter: ({ datasetIndex }) => datasetIndex === 0,
              callbacks: {
                label: ({ dataIndex }) => {
                  const at = takeAt(values, dataIndex)
                  const { version, name, started } = takes[at]!
                  return [`${valueWords(values[at]!, unit)}, ${version}`, name, dateTime(started)]
                },
              },
            },
          },
          scales: {
            x: {
              ...axis('version'),
              max: Math.max(1, takes.length - 1),
              ticks: {
                callback: (x) => firstOf(takes, Number(x)),
                autoSkip: false,
                stepSize: 1,
                maxRotation: 0,
              },
            },
            y: axis(unit === 'ms' ? `${short}, ms` : short),
          },
        },
      }
    },
    [line, series, open],
  )
  return <Chart label={`${series.words}, take by take`} configure={configure} />
}

/** Number of the take of a point: takes without a value have none. */
const takeAt = (values: readonly (number | null)[], point: number): number =>
  [...values.keys()].filter((at) => values[at] !== null)[point]!

/** A version is written where it begins. */
const firstOf = (takes: HistoryLine['takes'], at: number): string =>
  takes[at] === undefined || takes[at].version === takes[at - 1]?.version ? '' : takes[at].version
