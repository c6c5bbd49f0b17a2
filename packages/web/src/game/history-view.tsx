import {
  changeWords,
  comingWords,
  FIGURES,
  groupsOverWords,
  lineSentence,
  valueWords,
  type Change,
  type FigureName,
  type HistoryLine,
} from '@lapsus/core/history'
import { dateTime, three } from '@lapsus/core/words'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { gamesApi } from '../api/games.ts'
import { useAnswer } from '../api/use-answer.ts'
import { Select } from '../components/select.tsx'
import { Table, type TableColumn } from '../components/table.tsx'
import { Words } from '../components/words.tsx'
import { HistoryChart } from './history-chart.tsx'
import { figureKey, groupKey, pathKey, seriesOf } from './series.ts'

/** What a game spent, version by version, and where that changed for good. */
export function HistoryView({ game }: { game: string }) {
  const { answer, error } = useAnswer(`history ${game}`, (signal) => gamesApi.history(game, signal))
  const [about, setAbout] = useState<string | null>(null)
  if (error !== null)
    return (
      <Words alarm title="The history could not be made">
        {error}
      </Words>
    )
  if (answer === null) return <Words title="Summing the takes up…">The first time this takes a while.</Words>
  const line = answer.find((one) => one.about === about) ?? answer[0]
  if (line === undefined)
    return <Words title="There is no take with frames">Record some, and look here how versions differ.</Words>
  return (
    <div className="h-full overflow-y-auto" data-testid="history">
      <div className="flex min-h-9 flex-wrap items-center gap-2 border-b border-line px-3 py-1">
        <span className="text-faint">takes of</span>
        <Select
          label="Conditions"
          values={answer.map((one) => one.about)}
          words={(one) => one}
          value={line.about}
          onChange={setAbout}
        />
      </div>
      <p className="border-b border-line px-4 py-3 text-[15px]" data-testid="history-words">
        {lineSentence(line)}
      </p>
      <Line key={line.about} line={line} />
    </div>
  )
}

function Line({ line }: { line: HistoryLine }) {
  const first = line.changes.find(({ of }) => of === 'path') ?? line.changes[0]
  const [key, setKey] = useState(first === undefined ? figureKey('mean') : keyOf(first))
  const navigate = useNavigate()
  const series = seriesOf(line, key)
  return (
    <>
      <div className="flex items-center gap-2 px-4 pt-2 text-xs">
        <Select
          label="Figure or path"
          values={[
            ...line.figures
              .filter(({ values }) => values.some((value) => value !== null))
              .map(({ name }) => figureKey(name)),
            ...line.groups.map(groupKey),
            ...line.paths.map(pathKey),
          ]}
          words={(one) => seriesOf(line, one).words}
          value={key}
          onChange={setKey}
        />
        <span className="text-faint">{series.about}</span>
      </div>
      <div className="h-64 px-4 py-1">
        <HistoryChart line={line} series={series} open={(take) => void navigate(`/takes/${take}`)} />
      </div>
      <Said line={line} choose={(change) => setKey(keyOf(change))} />
      <div className="px-4 py-2">
        <Takes line={line} />
      </div>
    </>
  )
}

const keyOf = ({ of, name, lane }: Change): string =>
  of === 'path' ? pathKey({ path: name, lane }) : figureKey(name[0] as FigureName)

function Said({ line, choose }: { line: HistoryLine; choose(change: Change): void }) {
  const { changes, appeared, vanished, groups } = line
  const over = groupsOverWords(groups)
  const comings = [
    ...appeared.map((one) => comingWords(one, true)),
    ...vanished.map((one) => comingWords(one, false)),
  ]
  if (changes.length === 0 && comings.length === 0 && over.length === 0) return null
  return (
    <ul className="border-y border-line px-4 py-2" aria-label="What changed for good">
      {changes.map((change) => (
        <li key={`${keyOf(change)} ${change.at}`}>
          <button
            type="button"
            className="text-left hover:underline"
            title={`By chance alone this would be seen once in ${change.chance > 0 ? three(1 / change.chance) : 'countless'} histories`}
            onClick={() => choose(change)}
          >
            {changeWords(change)}
          </button>
        </li>
      ))}
      {over.map((words) => (
        <li key={words} className="text-alarm">
          {words}
        </li>
      ))}
      {comings.map((words) => (
        <li key={words} className="text-faint">
          {words}
        </li>
      ))}
    </ul>
  )
}

interface TakeLine {
  id: string
  name: string
  started: string
  version: string
  at: number
}

function Takes({ line }: { line: HistoryLine }) {
  const figure = (name: FigureName, about: string): TableColumn<TakeLine> => ({
    ...{ id: name, head: FIGURES[name].words, about },
    cell: ({ at }) =>
      valueWords(line.figures.find((one) => one.name === name)!.values[at]!, FIGURES[name].unit),
  })
  const columns: TableColumn<TakeLine>[] = [
    {
      id: 'version',
      head: 'version',
      about: 'Of the game, as the take says',
      align: 'left',
      cell: ({ version }) => version,
    },
    {
      id: 'take',
      head: 'take',
      about: 'Its name, or when it was made',
      align: 'left',
      cell: ({ id, name, started }) => (
        <Link to={`/takes/${id}`} className="underline decoration-line underline-offset-2">
          {name === dateTime(started) ? name : `${name}, ${dateTime(started)}`}
        </Link>
      ),
    },
    figure('mean', 'Of all frames, as recorded'),
    figure('p95', 'Of all frames, as recorded'),
    figure('over', 'Frames whose own work exceeds the budget'),
    {
      id: 'speed',
      head: 'machine',
      about: 'How many times as long unchanged code took as in the middle of these takes',
      cell: ({ at }) => `${three(line.speed[at]!)} ×`,
    },
  ]
  const rows = line.takes.map((take, at) => ({ ...take, at })).reverse()
  return <Table label="Takes, newest first" columns={columns} rows={rows} keyOf={({ id }) => id} />
}
