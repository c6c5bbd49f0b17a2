import { holdsWords, type DeviceRow, type Devices } from '@lapsus/core/history'
import { bytes, ms, percent, plural, three } from '@lapsus/core/words'
import { useState } from 'react'
import { Link } from 'react-router'
import { gamesApi } from '../api/games.ts'
import { useAnswer } from '../api/use-answer.ts'
import { Select } from '../components/select.tsx'
import { Table, type TableColumn } from '../components/table.tsx'
import { Words } from '../components/words.tsx'

/** Which device holds which target, and how much of a load. */
export function DevicesView({ game }: { game: string }) {
  const { answer, error } = useAnswer(`devices ${game}`, (signal) => gamesApi.devices(game, signal))
  const [target, setTarget] = useState('60')
  if (error !== null)
    return (
      <Words alarm title="The devices could not be told">
        {error}
      </Words>
    )
  if (answer === null) return <Words title="Summing the takes up…">The first time this takes a while.</Words>
  if (answer.rows.length === 0) return <Words title="There is no take with frames" />
  const at = answer.targets.findIndex((one) => String(one) === target)
  const lowest = answer.lowest[at] ?? null
  return (
    <div className="h-full overflow-y-auto" data-testid="devices">
      <div className="flex min-h-9 items-center gap-2 border-b border-line px-3 py-1">
        <span className="text-faint">judged by</span>
        <Select
          label="Target"
          values={answer.targets.map(String)}
          words={(one) => `${one} frames a second`}
          value={target}
          onChange={setTarget}
        />
      </div>
      <p className="border-b border-line px-4 py-3 text-[15px]" data-testid="devices-words">
        {lowest === null
          ? `No device holds ${target} frames a second.`
          : `${answer.rows[lowest]!.device} is the slowest that holds ${target} frames a second.`}{' '}
        <span className="text-xs text-faint">A target holds where at most 1 % of the frames is over.</span>
      </p>
      <div className="px-4 py-2">
        <DeviceTable devices={answer} at={at} />
      </div>
    </div>
  )
}

function DeviceTable({ devices, at }: { devices: Devices; at: number }) {
  const target = devices.targets[at]!
  const columns: TableColumn<DeviceRow>[] = [
    {
      id: 'device',
      head: 'device',
      about: 'The slowest first; with what it was played with',
      align: 'left',
      cell: ({ device, about, latest }) => (
        <>
          <Link to={`/takes/${latest}`} className="underline decoration-line underline-offset-2">
            {device}
          </Link>
          <div className="text-xs text-faint">{about}</div>
        </>
      ),
    },
    {
      id: 'takes',
      head: 'takes',
      about: 'Of the last version that was recorded: they alone count',
      align: 'left',
      cell: ({ takes, version }) => `${plural(takes, 'take')} of ${version}`,
    },
    { id: 'p95', head: 'work p95', about: 'Middle of its takes', cell: ({ p95Ms }) => ms(p95Ms) },
    {
      id: 'over',
      head: `over at ${target}`,
      about: 'Share of the frames whose own work exceeds that budget, middle of its takes',
      cell: ({ overShare }) => percent(overShare[at]!),
    },
    {
      id: 'collections',
      head: 'collections',
      about: 'Of 1,000 frames',
      cell: ({ collectionsPer1000 }) => three(collectionsPer1000),
    },
    {
      id: 'heap',
      head: 'heap',
      about: 'Most on the heap',
      cell: ({ heapBytes }) => (heapBytes === null ? 'not known' : bytes(Math.round(heapBytes))),
    },
    {
      id: 'loads',
      head: 'holds',
      about:
        'How many of each load until the work of a frame reaches the budget, by the law it follows in the newest take',
      align: 'left',
      cell: ({ loads }) =>
        loads
          .filter(({ breaksAt }) => breaksAt[at] !== null)
          .map(({ name, breaksAt }) => `${holdsWords(breaksAt[at]!)} ${name}`)
          .join(', ') || 'no law is known',
    },
  ]
  return (
    <Table
      label="Devices"
      columns={columns}
      rows={devices.rows}
      keyOf={({ device, about }) => `${device} ${about}`}
    />
  )
}
