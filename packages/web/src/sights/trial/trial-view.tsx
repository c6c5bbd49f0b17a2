import { TRIAL, type TrialAnswer } from '@lapsus/core/questions/trial'
import { amount, ms, plural, three } from '@lapsus/core/words'
import { useState } from 'react'
import { ask } from '../../api/ask.ts'
import { useAnswer } from '../../api/use-answer.ts'
import { differenceColumns, reach } from '../../components/difference-columns.tsx'
import { PathName } from '../../components/path-name.tsx'
import { Select } from '../../components/select.tsx'
import { Table, type TableColumn } from '../../components/table.tsx'
import { Words } from '../../components/words.tsx'
import { useFramesQuery } from '../../state/frames-query.ts'
import type { OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'

type Result = TrialAnswer['results'][number]
type Figure = Result['frames'][number]
type PathRow = Result['paths'][number]

/** Variants of the same code that were used in turn within this take: which is better, by how much, how surely. */
export function TrialView({ take }: { take: OpenTake }) {
  const query = useFramesQuery(take)
  const [trial, setTrial] = useState<string | null>(null)
  const [variant, setVariant] = useState<string | null>(null)
  const { answer, error } = useAnswer(`${take.detail.id} trial ${trial} ${JSON.stringify(query)}`, (signal) =>
    ask(TRIAL, take.detail.id, query, trial === null ? {} : { trial }, signal),
  )
  if (error !== null)
    return (
      <Words alarm title="The trial could not be worked out">
        {error}
      </Words>
    )
  if (answer === null) return <Words title="Setting the variants against each other…" />
  const result = answer.results.find((one) => one.variant === variant) ?? answer.results[0]
  if (answer.name === null || result === undefined)
    return (
      <Words title="Nothing is tried in this take">
        Have two ways of doing the same used in turn, and see here which is better:{' '}
        <code>{"const SEEK = probe.trial('moth.seek', ['all', 'near'])"}</code>, then{' '}
        <code>{"SEEK.is('near')"}</code> where they part.
      </Words>
    )
  return (
    <section aria-label="Trial" className="flex h-full min-h-0 flex-col" data-testid="trial">
      <div className="flex min-h-9 shrink-0 flex-wrap items-center gap-2 border-b border-line px-3 py-1">
        <b className="font-serif text-base">Trial</b>
        <span className="text-faint">of</span>
        <Select
          label="Trial"
          values={answer.trials}
          words={(name) => name}
          value={answer.name}
          onChange={setTrial}
        />
        <span className="text-faint">with</span>
        <Select
          label="Variant"
          values={answer.results.map((one) => one.variant)}
          words={(name) => `“${name}”`}
          value={result.variant}
          onChange={setVariant}
        />
        <span className="text-faint">against “{answer.variants[0]}”</span>
        <span className="grow" />
        <span
          className="text-xs text-faint"
          title="Neighbouring blocks with one of each variant: what drifts is alike within them"
        >
          {plural(answer.rounds, 'round')} of blocks of {amount(answer.blockFrames)} frames
        </span>
      </div>
      <p className="shrink-0 border-b border-line px-3 py-2" data-testid="trial-words">
        {result.sentence}
      </p>
      <div className="min-h-0 grow overflow-y-auto px-3 py-2">
        <h3 className="mb-1 font-serif text-base">Frames</h3>
        <Table
          label="Frames with either variant"
          columns={figureColumns(answer, result)}
          rows={result.frames}
          keyOf={({ figure }) => figure}
        />
        <h3 className="mt-4 mb-1 font-serif text-base">Paths, those that changed most first</h3>
        <Paths answer={answer} result={result} />
      </div>
    </section>
  )
}

const FIGURES: Record<string, { words: string; of(value: number): string }> = {
  work: { words: 'work of a frame', of: ms },
  duration: { words: 'length of a frame', of: ms },
  over: { words: 'frames over, of 1,000', of: three },
}

/** Of every column of differences. */
const ABOUT = {
  difference: 'This variant less the first: the mean over the rounds',
  interval:
    'About zero, from the differences within each round: left is less. It says “the same” where it lies within 1 % of the budget.',
  verdict:
    'Better or worse where the interval leaves zero out, after asking all paths; else how many more seconds to record until it probably does',
}
const WIDTHS = { interval: '23%', verdict: '17%' }

function figureColumns(answer: TrialAnswer, result: Result): TableColumn<Figure>[] {
  const words = (value: number, { figure }: Figure) => FIGURES[figure]!.of(value)
  const inMs = reach(result.frames.filter(({ figure }) => figure !== 'over'))
  return [
    {
      id: 'figure',
      head: 'figure',
      about: 'Of whole frames',
      align: 'left',
      cell: ({ figure }) => FIGURES[figure]!.words,
    },
    {
      id: 'before',
      head: answer.variants[0]!,
      about: 'With the first variant',
      cell: (row) => words(row.before, row),
    },
    { id: 'after', head: result.variant, about: 'With this one', cell: (row) => words(row.after, row) },
    ...differenceColumns<Figure>({
      ...{ about: ABOUT, widths: WIDTHS, words },
      most: (row) => (row.figure === 'over' ? reach([row]) : inMs),
    }),
  ]
}

function Paths({ answer, result }: { answer: TrialAnswer; result: Result }) {
  const { path, change } = useView()
  const most = reach(result.paths)
  const columns: TableColumn<PathRow>[] = [
    {
      id: 'path',
      head: 'path',
      about: 'Names of its markers',
      align: 'left',
      width: '21%',
      cell: ({ path: names }) => <PathName path={names} />,
    },
    {
      id: 'runs',
      head: 'runs a frame',
      about: 'With the first variant, and with this one',
      width: '15%',
      cell: ({ callsBefore, callsAfter }) =>
        three(callsBefore) === three(callsAfter)
          ? three(callsBefore)
          : `${three(callsBefore)} → ${three(callsAfter)}`,
    },
    {
      id: 'before',
      head: answer.variants[0]!,
      about: 'Own time a frame with the first variant',
      cell: ({ before }) => ms(before),
    },
    {
      id: 'after',
      head: result.variant,
      about: 'Own time a frame with this one',
      cell: ({ after }) => ms(after),
    },
    ...differenceColumns<PathRow>({ about: ABOUT, widths: WIDTHS, words: ms, most: () => most }),
  ]
  return (
    <Table
      label="Paths with either variant"
      columns={columns}
      rows={result.paths}
      keyOf={({ pathId }) => pathId}
      isChosen={({ pathId }) => pathId === path}
      onChoose={({ pathId }) => change({ path: pathId === path ? null : pathId })}
    />
  )
}
