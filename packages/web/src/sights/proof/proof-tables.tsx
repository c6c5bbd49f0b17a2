import type { Proved, ProofLine, ProofPath } from '@lapsus/core/compare'
import { VERDICT_WORDS } from '@lapsus/core/compare'
import { bytes, ms, percent, signed, three } from '@lapsus/core/words'
import { PathName } from '../../components/path-name.tsx'
import { Table, type TableColumn } from '../../components/table.tsx'

type Unit = ProofLine['unit']

const shown = (value: number | null, unit: Unit): string => {
  if (value === null) return 'not known'
  if (unit === 'ms') return ms(value)
  return unit === 'bytes' ? bytes(Math.round(value)) : three(value)
}

/** Before, forecast, after and how far off, of anything that was proved. */
function valueColumns<T extends Proved>(unitOf: (row: T) => Unit): TableColumn<T>[] {
  return [
    {
      id: 'before',
      head: 'before',
      about: 'Recorded before the fix',
      cell: (row) => shown(row.before, unitOf(row)),
    },
    {
      id: 'forecast',
      head: 'forecast',
      about: 'What the plan was said to bring, with its range',
      cell: (row) => {
        const value = shown(row.forecast, unitOf(row))
        return row.low === null || row.high === null
          ? value
          : `${value} (${three(row.low)} to ${three(row.high)})`
      },
    },
    {
      id: 'after',
      head: 'with the fix',
      about: 'Recorded with the fix',
      cell: (row) => shown(row.after, unitOf(row)),
    },
    {
      id: 'even',
      head: 'at equal speed',
      about: 'Recorded with the fix, had the machine been as fast as before',
      cell: (row) => <b className="font-semibold">{shown(row.even, unitOf(row))}</b>,
    },
    {
      id: 'error',
      head: 'forecast off by',
      about: 'Forecast less what came out at equal speed; as a share of what came out',
      cell: (row) => {
        const { error, even } = row
        if (error === null || even === null) return ''
        const off = signed(error, (size) => shown(size, unitOf(row)))
        return even > 0 ? `${off}, ${percent(Math.abs(error) / even)}` : off
      },
    },
    {
      id: 'judged',
      head: 'the forecast',
      about: 'As aimed: within 15 % or 0.3 ms. In its range: what came out lies where the forecast said',
      align: 'left',
      cell: Judged,
    },
  ]
}

function Judged({ near, inRange, isReversed }: Proved) {
  if (isReversed) return <span className="text-alarm">the other way</span>
  const range = inRange === null ? '' : inRange ? 'in its range' : 'outside its range'
  const aim = near === null ? '' : near ? 'as aimed' : 'further off'
  const words = [aim, range].filter((part) => part !== '').join(', ')
  return near === false ? <span className="text-alarm">{words}</span> : words
}

export function ProofFigures({ lines }: { lines: ProofLine[] }) {
  const columns: TableColumn<ProofLine>[] = [
    { id: 'words', head: 'figure', about: 'What is compared', align: 'left', cell: ({ words }) => words },
    ...valueColumns<ProofLine>(({ unit }) => unit),
  ]
  return <Table label="Before, forecast and after" columns={columns} rows={lines} keyOf={({ id }) => id} />
}

interface ProofPathsProps {
  paths: ProofPath[]
  /** Numbers of the plan's items that are about a path. */
  itemsOf(path: readonly string[]): number[]
}

export function ProofPaths({ paths, itemsOf }: ProofPathsProps) {
  const columns: TableColumn<ProofPath>[] = [
    {
      id: 'path',
      head: 'path',
      about: 'Own time a frame; with the items of the plan that are about it',
      align: 'left',
      cell: ({ path }) => (
        <>
          <PathName path={path} />
          {itemsOf(path).length > 0 && (
            <span className="text-xs text-faint"> item {itemsOf(path).join(', ')}</span>
          )}
        </>
      ),
    },
    ...valueColumns<ProofPath>(() => 'ms'),
    {
      id: 'verdict',
      head: 'recorded',
      about: 'What the recordings say for themselves, after asking all paths',
      align: 'left',
      cell: ({ verdict }) => VERDICT_WORDS[verdict],
    },
  ]
  return (
    <Table
      label="Paths before, as forecast and after"
      columns={columns}
      rows={paths}
      keyOf={({ lane, path }) => [lane, ...path].join('\n')}
    />
  )
}
