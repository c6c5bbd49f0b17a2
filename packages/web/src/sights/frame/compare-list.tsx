import { useMemo } from 'react'
import { count, ms, three } from '@lapsus/core/words'
import { Table } from '../../components/table.tsx'
import type { OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'
import { matchPaths, sumsByPath } from './compare.ts'
import { nameOf } from './draw-page.ts'
import { usePage } from './use-page.ts'

const MOST_ROWS = 60
/** Differences below this are the noise of any two frames. */
const LEAST_NS = 5_000

/** Two frames, path by path, the largest difference first. */
export function CompareList({ take, frame, beside }: { take: OpenTake; frame: number; beside: number }) {
  const { path: chosen, change } = useView()
  const here = usePage(take, frame).page
  const there = usePage(take, beside).page
  const rows = useMemo(() => {
    if (here === null || there === null) return []
    return matchPaths(sumsByPath(here, take.paths), sumsByPath(there, take.paths), take.paths)
      .filter(({ differenceNs }) => Math.abs(differenceNs) >= LEAST_NS)
      .slice(0, MOST_ROWS)
  }, [here, there, take.paths])
  return (
    <div className="h-full overflow-y-auto" data-testid="compare">
      <Table
        label={`Frame ${frame} against frame ${beside}`}
        rows={rows}
        keyOf={({ path }) => path}
        isChosen={({ path }) => path === chosen}
        onChoose={({ path }) => change({ path: path === chosen ? null : path })}
        columns={[
          {
            id: 'name',
            head: 'self time of',
            about: 'Paths of the main lane in either frame',
            align: 'left',
            cell: ({ path, here: a, there: b }) => (
              <>
                {nameOf(take, path)}
                <span className="block text-xs text-faint">
                  {count(a.calls)} × here, {count(b.calls)} × there
                </span>
              </>
            ),
          },
          {
            id: 'here',
            head: String(frame),
            about: 'This frame, ms',
            cell: ({ here: a }) => three(a.selfNs / 1e6),
          },
          {
            id: 'there',
            head: String(beside),
            about: 'The frame beside it, ms',
            cell: ({ there: b }) => three(b.selfNs / 1e6),
          },
          {
            id: 'difference',
            head: 'more here',
            about: 'The difference of the two',
            cell: ({ differenceNs }) => (
              <span className={differenceNs > 0 ? 'font-semibold' : 'text-faint'}>
                {differenceNs > 0 ? '+' : '−'}
                {ms(Math.abs(differenceNs) / 1e6)}
              </span>
            ),
          },
        ]}
      />
    </div>
  )
}
