import type {
  DiagnosisAnswer,
  CauseReport,
  FamilyReport,
  SpikeReport,
} from '@lapsus/core/questions/diagnosis'
import { useMemo, useState } from 'react'
import { ms, plural } from '@lapsus/core/words'
import { Choice } from '../../components/choice.tsx'
import { PlaceLink } from '../../code/place-link.tsx'
import { Table, type TableColumn } from '../../components/table.tsx'
import { Words } from '../../components/words.tsx'
import { useDiagnosis } from '../../state/diagnosis.ts'
import { placeOfPath, type OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'
import type { SightProps } from '../sight.ts'
import { causeLine, familyWords, machineWords } from './spike-words.ts'

const ORDERS = ['worst', 'time'] as const
const ORDER_WORDS = { worst: 'worst first', time: 'in order of time' }

/** Frames that stick out: what each did more than usual, and which belong together. */
export function SpikesView({ take }: SightProps) {
  const { diagnosis, error } = useDiagnosis()
  if (error !== null)
    return (
      <Words alarm title="The spikes could not be worked out">
        {error}
      </Words>
    )
  if (diagnosis === null) return <Words title="Looking for spikes…" />
  if (diagnosis.spikes.length === 0) {
    return (
      <Words title="No frame sticks out">
        A spike is a frame over budget whose work is more than six standard deviations above the middle of the
        121 frames around it.
      </Words>
    )
  }
  return <Spikes diagnosis={diagnosis} take={take} />
}

function Spikes({
  diagnosis: { spikes, families, pauses },
  take,
}: {
  diagnosis: DiagnosisAnswer
  take: OpenTake
}) {
  const { frame, change } = useView()
  const [order, setOrder] = useState<(typeof ORDERS)[number]>('worst')
  const [family, setFamily] = useState<number | null>(null)
  const [withMachine, setWithMachine] = useState(false)
  const byMachine = spikes.filter(({ machine }) => machine !== null)
  const shown = spikes.filter((spike) =>
    family === null ? withMachine || spike.machine === null : spike.family === family,
  )
  const columns = useMemo(() => columnsOf(take), [take])
  const rows = order === 'time' ? shown : [...shown].sort((a, b) => b.severityMs - a.severityMs)
  return (
    <section aria-label="Spikes" className="flex h-full min-h-0 flex-col" data-testid="spikes">
      <div className="flex h-9 shrink-0 items-center gap-2 border-b border-line px-3">
        <b className="font-serif text-base">Spikes</b>
        <span className="text-faint">
          {plural(shown.length, 'episode')}
          {pauses > 0 && `; ${plural(pauses, 'frame')} in which the game stood still left out`}
        </span>
        <span className="grow" />
        <Choice
          label="Order"
          values={ORDERS}
          words={ORDER_WORDS}
          value={order}
          onChange={(next) => setOrder(next)}
        />
      </div>
      <div className="min-h-0 grow overflow-y-auto">
        {byMachine.length > 0 && (
          <label className="flex items-center gap-2 border-b border-line px-3 py-1.5">
            <input
              type="checkbox"
              checked={withMachine}
              onChange={(event) => setWithMachine(event.target.checked)}
            />
            {machineWords(byMachine)}
          </label>
        )}
        {families.length > 0 && (
          <Families
            families={families}
            chosen={family}
            choose={(one) => setFamily(one === family ? null : one)}
          />
        )}
        <Table
          label="Spikes"
          columns={columns}
          rows={rows}
          keyOf={(spike) => spike.frame}
          isChosen={(spike) => spike.frame === frame}
          onChoose={(spike) =>
            change({
              frame: spike.frame,
              beside: spike.typicalFrame,
              path: spike.causes[0]?.pathId ?? null,
              sight: 'frame',
            })
          }
        />
      </div>
    </section>
  )
}

interface FamiliesProps {
  families: FamilyReport[]
  chosen: number | null
  choose(family: number): void
}

function Families({ families, chosen, choose }: FamiliesProps) {
  return (
    <div className="border-b border-line px-3 py-2">
      <h3 className="mb-1 text-xs text-faint">Families: spikes with the same causes</h3>
      <div className="flex flex-wrap gap-2">
        {inOrder(families).map(([family, i]) => (
          <button
            key={i}
            type="button"
            aria-pressed={chosen === i}
            className={`max-w-80 rounded border border-line px-2.5 py-1.5 text-left ${chosen === i ? 'bg-pick' : 'bg-leaf hover:border-faint'}`}
            onClick={() => choose(i)}
          >
            <b className="font-medium">{causeName(family.causes[0])}</b>{' '}
            <span className="text-faint">
              {family.spikes} × {ms(family.meanExcessMs)}
            </span>
            <span className="block text-xs text-faint">
              {family.finding !== null && 'a finding: '}
              {familyWords(family)}
            </span>
          </button>
        ))}
      </div>
    </div>
  )
}

/** Those that are findings first; with the number that each is known by. */
const inOrder = (families: FamilyReport[]): [FamilyReport, number][] =>
  families
    .map((family, i): [FamilyReport, number] => [family, i])
    .sort(([a], [b]) => Number(a.finding === null) - Number(b.finding === null))

const causeName = (cause: CauseReport | undefined) =>
  cause === undefined
    ? 'nothing sticks out'
    : cause.why === 'collection'
      ? 'collection'
      : (cause.path.at(-1) ?? 'outside any marker')

const columnsOf = (take: OpenTake): TableColumn<SpikeReport>[] => [
  {
    id: 'frame',
    head: 'frame',
    about: 'The worst frame of the episode. Choose it to lay it beside a usual one.',
    align: 'left',
    cell: ({ frame, fromFrame, toFrame }) => (
      <>
        {frame}
        {toFrame > fromFrame && (
          <span className="block text-xs text-faint">
            {fromFrame}–{toFrame}
          </span>
        )}
      </>
    ),
  },
  {
    id: 'work',
    head: 'took',
    about: 'Work of the worst frame; its whole duration if it was held by waiting.',
    cell: ({ held, workMs, durationMs }) => (
      <span className={held ? '' : 'text-alarm'}>{ms(held ? durationMs : workMs)}</span>
    ),
  },
  {
    id: 'excess',
    head: 'more',
    about: 'What it took more than the middle of the 121 frames around it.',
    cell: ({ excessMs }) => ms(excessMs),
  },
  {
    id: 'severity',
    head: 'episode',
    about: 'The excess of all frames of the episode together.',
    cell: ({ severityMs }) => ms(severityMs),
  },
  {
    id: 'why',
    head: 'because',
    about: 'The fewest paths that make up 90 % of the excess, compared with the frames around.',
    align: 'left',
    cell: ({ causes }) =>
      causes.length === 0
        ? 'no marker sticks out'
        : causes.slice(0, 3).map((cause) => (
            <p key={cause.path.join()}>
              {causeLine(cause)} <PlaceLink at={placeOfPath(take, cause.pathId)} game={take.detail.game} />
            </p>
          )),
  },
  {
    id: 'moment',
    head: 'when',
    about: 'The moment its family follows, more often than chance would have it.',
    align: 'left',
    cell: ({ moment, held, machine }) => (
      <span className="text-xs text-faint">
        {moment !== null && `“${moment}”`} {held && 'held'} {machine !== null && 'the machine'}
      </span>
    ),
  },
]
