import { ask } from '../../api/ask.ts'
import { MEMORY, type MemoryAnswer } from '@lapsus/core/questions/memory'
import { useCallback } from 'react'
import { bytes, duration, ms, percent, plural, three } from '@lapsus/core/words'
import { useAnswer } from '../../api/use-answer.ts'
import { Canvas, type Draw } from '../../components/canvas.tsx'
import { Table } from '../../components/table.tsx'
import { Words } from '../../components/words.tsx'
import { useFramesQuery } from '../../state/frames-query.ts'
import type { OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'
import { drawHeap, drawInstances } from './draw-memory.ts'

/** Where memory goes: the heap, who allocates, what is collected, what only grows. */
export function MemoryView({ take }: { take: OpenTake }) {
  const query = useFramesQuery(take)
  const { answer, error } = useAnswer(`${take.detail.id} memory ${JSON.stringify(query)}`, (signal) =>
    ask(MEMORY, take.detail.id, query, {}, signal),
  )
  if (error !== null)
    return (
      <Words alarm title="Memory could not be read">
        {error}
      </Words>
    )
  if (answer === null) return <Words title="Reading memory…" />
  const tellsNothing =
    answer.heap === null &&
    answer.kinds.length === 0 &&
    answer.classes.length === 0 &&
    answer.allocators.length === 0
  if (tellsNothing) {
    return (
      <Words title="This take tells nothing of memory">
        The recorder read no heap, saw no collection, and the game counts no births and deaths. In Node all of
        that is there by itself; record with mode bytes to see who allocates.
      </Words>
    )
  }
  return (
    <section aria-label="Memory" className="h-full overflow-y-auto" data-testid="memory">
      <Summary memory={answer} />
      {answer.heap !== null && <Heap memory={answer} />}
      <div className="grid grid-cols-2 gap-x-6 px-3 py-2">
        <Collections memory={answer} />
        <Instances memory={answer} />
        <Allocators memory={answer} take={take} />
        <Pauses memory={answer} take={take} />
      </div>
    </section>
  )
}

function Summary({ memory }: { memory: MemoryAnswer }) {
  const { heap, bytesPerSecond, allocatedFrom, kinds, nextCollectionMs, limitBytes, limitInS, growing } =
    memory
  const collections = kinds.reduce((sum, kind) => sum + kind.count, 0)
  const pauses = kinds.reduce((sum, kind) => sum + kind.totalMs, 0)
  const last = heap?.at(-1)
  return (
    <p className="flex flex-wrap gap-x-5 gap-y-1 border-b border-line px-3 py-2 tabular-nums">
      {last !== undefined && <span>heap {bytes(Math.round(last))} at the end</span>}
      {limitBytes !== null && <span>of {bytes(limitBytes)} that the device has</span>}
      {limitInS !== null && (
        <span
          className="text-alarm"
          title="From what stays on the heap after collections, if it grows on as in these frames"
        >
          reached in {duration(limitInS * 1000)}
        </span>
      )}
      {allocatedFrom !== 'nothing' && (
        <span
          title={
            allocatedFrom === 'heap'
              ? 'From the rises of the heap: what is allocated and collected within a frame is not in it.'
              : 'From heap reads at every span.'
          }
        >
          {bytes(Math.round(bytesPerSecond))} allocated a second{allocatedFrom === 'heap' && ', at least'}
        </span>
      )}
      <span>
        {plural(collections, 'collection')}, {ms(pauses)} together
      </span>
      {nextCollectionMs !== null && <span>the next in about {three(nextCollectionMs / 1000)} s</span>}
      {growing.map(({ name, growth }) => (
        <span key={name} className="text-alarm">
          “{name}” only grows, by {three(growth.perSecond)} a second
        </span>
      ))}
    </p>
  )
}

/** Chosen on a picture of all frames. */
function useFramePick(memory: MemoryAnswer) {
  const change = useView((view) => view.change)
  return (event: React.MouseEvent<HTMLCanvasElement>) => {
    const { width } = event.currentTarget.getBoundingClientRect()
    const share = event.nativeEvent.offsetX / width
    change({
      frame: memory.from + Math.min(memory.allocated.length - 1, Math.floor(share * memory.allocated.length)),
    })
  }
}

function Heap({ memory }: { memory: MemoryAnswer }) {
  const frame = useView((view) => view.frame)
  const pick = useFramePick(memory)
  const draw = useCallback<Draw>(
    (context, width, height, palette) => drawHeap(context, width, height, palette, memory, frame),
    [memory, frame],
  )
  return (
    <div className="h-40 border-b border-line">
      <Canvas
        draw={draw}
        role="img"
        aria-label="The heap over the frames, collections below it"
        onClick={pick}
        className="block cursor-crosshair"
      />
    </div>
  )
}

const Head = ({ children, about }: { children: string; about: string }) => (
  <h3 className="mt-2 mb-1 font-serif text-base" title={about}>
    {children}
  </h3>
)

function Collections({ memory: { kinds } }: { memory: MemoryAnswer }) {
  const change = useView((view) => view.change)
  return (
    <div>
      <Head about="Garbage collections on the main lane, by kind">Collections</Head>
      {kinds.length === 0 ? (
        <p className="text-faint">None.</p>
      ) : (
        <Table
          label="Collections by kind"
          rows={kinds}
          keyOf={({ kind }) => kind}
          onChoose={({ worstFrame }) => change({ frame: worstFrame, sight: 'frame', beside: null })}
          columns={[
            {
              id: 'kind',
              head: 'kind',
              about: 'As the runtime names it',
              align: 'left',
              cell: ({ kind }) => kind.replace(/^collection \((.*)\)$/, '$1'),
            },
            {
              id: 'count',
              head: 'count',
              about: 'Collections in the chosen frames',
              cell: ({ count }) => count,
            },
            {
              id: 'rate',
              head: 'a minute',
              about: 'Collections a minute',
              cell: ({ perMinute }) => three(perMinute),
            },
            {
              id: 'median',
              head: 'median',
              about: 'Median pause of a frame, ms',
              cell: ({ medianMs }) => three(medianMs),
            },
            {
              id: 'worst',
              head: 'worst',
              about: 'Worst pause, ms; choose to read its frame',
              cell: ({ worstMs }) => three(worstMs),
            },
            { id: 'total', head: 'together', about: 'All pauses, ms', cell: ({ totalMs }) => three(totalMs) },
          ]}
        />
      )}
    </div>
  )
}

function Instances({ memory }: { memory: MemoryAnswer }) {
  const { classes } = memory
  return (
    <div>
      <Head about="Instances of each class that the game counts">Instances</Head>
      {classes.length === 0 ? (
        <p className="text-faint">The game counts no births and deaths.</p>
      ) : (
        <Table
          label="Instances by class"
          rows={classes}
          keyOf={(one) => one.class}
          columns={[
            {
              id: 'name',
              head: 'class',
              about: 'As the game names it',
              align: 'left',
              cell: ({ name }) => name,
            },
            {
              id: 'alive',
              head: 'alive',
              about: 'At the end; where only births and deaths are told, since the take began',
              cell: ({ now, relative }) => `${three(now)}${relative ? ' *' : ''}`,
            },
            { id: 'most', head: 'most', about: 'The most at once', cell: ({ most }) => three(most) },
            {
              id: 'born',
              head: 'born/s',
              about: 'Born a second',
              cell: ({ bornPerSecond }) => three(bornPerSecond),
            },
            {
              id: 'died',
              head: 'died/s',
              about: 'Died a second',
              cell: ({ diedPerSecond }) => three(diedPerSecond),
            },
            {
              id: 'course',
              head: 'over time',
              about: 'Alive, over the chosen frames; red where it only grows',
              cell: ({ alive, growth }) => <InstanceLine alive={alive} grows={growth !== null} />,
            },
          ]}
        />
      )}
    </div>
  )
}

function InstanceLine({ alive, grows }: { alive: Float64Array; grows: boolean }) {
  const draw = useCallback<Draw>(
    (context, width, height, palette) => drawInstances(context, width, height, palette, alive, grows),
    [alive, grows],
  )
  return (
    <div className="ml-auto h-5 w-24">
      <Canvas draw={draw} role="img" aria-label={grows ? 'only grows' : 'comes and goes'} />
    </div>
  )
}

const MOST_ALLOCATORS = 12

function Allocators({ memory, take }: { memory: MemoryAnswer; take: OpenTake }) {
  const change = useView((view) => view.change)
  const { allocators, allocated } = memory
  const all = allocators.reduce((sum, one) => sum + one.bytes, 0)
  return (
    <div>
      <Head about="Bytes that paths allocate themselves">Who allocates</Head>
      {allocators.length === 0 ? (
        <p className="text-faint">Record with mode bytes to see who allocates.</p>
      ) : (
        <Table
          label="Who allocates"
          rows={allocators.slice(0, MOST_ALLOCATORS)}
          keyOf={({ path }) => path}
          onChoose={({ path, worstFrame }) => change({ path, frame: worstFrame })}
          columns={[
            {
              id: 'name',
              head: 'path',
              about: 'Choose it to go to the frame in which it allocates most',
              align: 'left',
              cell: ({ path }) => markerName(take, path),
            },
            {
              id: 'frame',
              head: 'a frame',
              about: 'Bytes a frame, on average',
              cell: (one) => bytes(Math.round(one.bytes / allocated.length)),
            },
            {
              id: 'share',
              head: 'share',
              about: 'Of all bytes that are known',
              cell: (one) => percent(one.bytes / all),
            },
            {
              id: 'how',
              head: 'how',
              about: 'Steady: in at least 80 % of the frames',
              align: 'left',
              cell: ({ steady }) => (steady ? 'steadily' : 'in bursts'),
            },
          ]}
        />
      )}
    </div>
  )
}

const MOST_PAUSES = 10

function Pauses({ memory: { collections }, take }: { memory: MemoryAnswer; take: OpenTake }) {
  const change = useView((view) => view.change)
  const worst = [...collections].sort((a, b) => b.pauseMs - a.pauseMs).slice(0, MOST_PAUSES)
  if (worst.length === 0) return null
  return (
    <div>
      <Head about="The longest pauses, and who allocated since the collection of that kind before">
        Longest pauses
      </Head>
      <Table
        label="Longest pauses"
        rows={worst}
        keyOf={({ frame, kind }) => `${frame} ${kind}`}
        onChoose={({ frame }) => change({ frame, sight: 'frame', beside: null })}
        columns={[
          {
            id: 'frame',
            head: 'frame',
            about: 'Choose it to read it',
            align: 'left',
            cell: ({ frame }) => frame,
          },
          {
            id: 'pause',
            head: 'pause',
            about: 'All of that kind in the frame',
            cell: ({ pauseMs }) => ms(pauseMs),
          },
          {
            id: 'blame',
            head: 'blame',
            about: 'Shares of the bytes allocated since the one before; only with mode bytes',
            align: 'left',
            cell: ({ blame, kind }) =>
              blame.length === 0
                ? kind.replace(/^collection \((.*)\)$/, '$1')
                : blame
                    .slice(0, 2)
                    .map(({ pathId, share }) => `${markerName(take, pathId)} ${percent(share)}`)
                    .join(', '),
          },
        ]}
      />
    </div>
  )
}

const markerName = (take: OpenTake, path: number) => take.markers.get(take.paths.get(path).marker)!.name
