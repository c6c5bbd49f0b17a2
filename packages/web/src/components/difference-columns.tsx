import { VERDICT_WORDS, type Difference } from '@lapsus/core/compare'
import { signed, waitWords } from '@lapsus/core/words'
import { DifferenceBar } from './difference-bar.tsx'
import type { TableColumn } from './table.tsx'

type Judged = Omit<Difference, 'before' | 'after'>

interface ColumnsOf<T> {
  /** What each figure is, shown on its head. */
  about: { difference: string; interval: string; verdict: string }
  widths: { interval: string; verdict: string }
  /** A difference without its sign, in its unit. */
  words(value: number, row: T): string
  /** What half of the bar's width stands for. */
  most(row: T): number
}

/** What every row of a comparison has: the difference, the bar about zero, and what it comes to. */
export function differenceColumns<T extends Judged>({
  about,
  widths,
  words,
  most,
}: ColumnsOf<T>): TableColumn<T>[] {
  return [
    {
      id: 'difference',
      head: 'difference',
      about: about.difference,
      cell: (row) => signed(row.difference, (value) => words(value, row)),
    },
    {
      id: 'bar',
      head: '95 % interval',
      about: about.interval,
      align: 'left',
      width: widths.interval,
      cell: (row) => {
        const { difference, low, high, verdict } = row
        return <DifferenceBar {...{ difference, low, high, verdict }} most={most(row)} />
      },
    },
    {
      id: 'verdict',
      head: 'verdict',
      about: about.verdict,
      align: 'left',
      width: widths.verdict,
      cell: ({ verdict, secondsMore }) =>
        verdict === 'cannot-tell' && secondsMore !== null
          ? `cannot tell, ${waitWords(secondsMore)} more`
          : VERDICT_WORDS[verdict],
    },
  ]
}

const size = (value: number): number => (Number.isFinite(value) ? Math.abs(value) : 0)

/** How far the bars of these rows reach from zero, either way. */
export const reach = (rows: readonly Judged[]): number =>
  rows.reduce((most, { low, high, difference }) => Math.max(most, size(low), size(high), size(difference)), 0)
