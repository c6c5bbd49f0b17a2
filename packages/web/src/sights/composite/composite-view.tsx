import { COMPOSITE, type CompositeAnswer } from '@lapsus/core/questions/composite'
import { ms, signed } from '@lapsus/core/words'
import { useCallback } from 'react'
import { ask } from '../../api/ask.ts'
import { useAnswer } from '../../api/use-answer.ts'
import { Canvas, type Draw } from '../../components/canvas.tsx'
import { Table, type TableColumn } from '../../components/table.tsx'
import { Words } from '../../components/words.tsx'
import { useFramesQuery } from '../../state/frames-query.ts'
import type { OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'
import { drawAdded } from './draw-added.ts'

type Added = CompositeAnswer['takes'][number]

/** What the machine added to each of the takes that this one is made from. */
export function CompositeView({ take }: { take: OpenTake }) {
  const query = useFramesQuery(take)
  const { answer, error } = useAnswer(`${take.detail.id} composite ${JSON.stringify(query)}`, (signal) =>
    ask(COMPOSITE, take.detail.id, query, {}, signal),
  )
  if (error !== null)
    return (
      <Words alarm title="What the machine added could not be read">
        {error}
      </Words>
    )
  if (answer === null) return <Words title="Reading…" />
  if (answer.takes.length === 0)
    return (
      <Words title="This take is no composite">
        Choose two or more takes of the same run in the library, and lay them over one another there.
      </Words>
    )
  return (
    <section aria-label="Composite" className="h-full overflow-y-auto" data-testid="composite">
      <div className="flex min-h-9 items-center gap-2 border-b border-line px-3 py-1">
        <b className="font-serif text-base">Composite</b>
        <span className="text-faint">what the machine added to each take</span>
      </div>
      <p className="border-b border-line px-3 py-2">
        In every frame each path takes the median of what it took in {answer.takes.length} takes of the same
        run. Runs, moments and collections are those of {answer.takes[0]!.name}.
      </p>
      <div className="px-3 py-2">
        <AddedTable takes={answer.takes} />
      </div>
      <Courses takes={answer.takes} />
    </section>
  )
}

const signedMs = (value: number) => (value === 0 ? ms(0) : signed(value, ms))

function AddedTable({ takes }: { takes: Added[] }) {
  const change = useView((view) => view.change)
  const columns: TableColumn<Added>[] = [
    { id: 'name', head: 'take', about: 'It was made from', align: 'left', cell: ({ name }) => name },
    {
      id: 'mean',
      head: 'mean',
      about: 'Added to a frame’s work, mean over the chosen frames; below 0: faster than the middle take',
      cell: ({ meanMs }) => signedMs(meanMs),
    },
    {
      id: 'p95',
      head: 'p95',
      about: 'Added to a frame’s work: 95 of 100 frames had less',
      cell: ({ p95Ms }) => signedMs(p95Ms),
    },
    {
      id: 'worst',
      head: 'most',
      about: 'Most that was added to a frame',
      cell: ({ worstMs, worstFrame }) => (
        <button
          type="button"
          className="underline decoration-line underline-offset-2"
          onClick={() => change({ sight: 'frame', frame: worstFrame })}
        >
          {signedMs(worstMs)} in frame {worstFrame}
        </button>
      ),
    },
  ]
  return <Table label="What the machine added" columns={columns} rows={takes} keyOf={({ name }) => name} />
}

/** One below the other, on one scale. */
function Courses({ takes }: { takes: Added[] }) {
  const most = Math.max(...takes.flatMap(({ course }) => course.map(Math.abs)), 0)
  return (
    <div className="px-3 pb-3">
      {takes.map((one) => (
        <Course key={one.name} added={one} most={most} />
      ))}
    </div>
  )
}

function Course({ added, most }: { added: Added; most: number }) {
  const draw = useCallback<Draw>(
    (context, width, height, palette) => drawAdded({ context, width, height, palette }, added, most),
    [added, most],
  )
  return (
    <div className="h-16 border-b border-line/50">
      <Canvas
        draw={draw}
        role="img"
        aria-label={`Added to ${added.name}, mean ${signedMs(added.meanMs)} a frame`}
      />
    </div>
  )
}
