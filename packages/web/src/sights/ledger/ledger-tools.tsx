import { LEDGER_SCOPES, type LedgerScope } from '@lapsus/core/questions/ledger'
import { ChevronsDownUp, ChevronsUpDown, Copy, Download, Scale } from 'lucide-react'
import { IconButton } from '../../components/button.tsx'
import { Choice } from '../../components/choice.tsx'
import { Select } from '../../components/select.tsx'
import type { FramesQuery } from '../../api/ask.ts'
import { copyText, saveText } from '../../state/take-away.ts'
import type { OpenTake } from '../../state/take.ts'
import { GROUPINGS, UNITS, useView, type Grouping, type Unit } from '../../state/view.ts'
import { ledgerCsv, type LedgerLine } from './rows.ts'

const UNIT_WORDS: Record<Unit, string> = {
  frame: 'ms a frame',
  second: 'ms a second',
  share: 'share of the budget',
}
const BY_WORDS: Record<Grouping, string> = {
  path: 'path',
  marker: 'marker',
  group: 'group',
  lane: 'lane',
  caller: 'caller',
}
const SCOPE_WORDS: Record<LedgerScope, string> = {
  chosen: 'all chosen',
  spikes: 'spikes',
  typical: 'typical',
  difference: 'spikes − typical',
}

interface ToolsProps {
  take: OpenTake
  lines: LedgerLine[]
  query: FramesQuery
  wide: boolean
  fold(all: boolean): void
  openBudgets(): void
}

/** How the ledger is grouped and counted, of which frames, and what can be taken away. */
export function LedgerTools({ take, lines, query, wide, fold, openBudgets }: ToolsProps) {
  const { by, unit, search, scope: frames, change } = useView()
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-line px-3 py-1.5">
      <OneOf
        wide={wide}
        label="Group by"
        values={GROUPINGS}
        words={BY_WORDS}
        value={by}
        onChange={(value) => change({ by: value })}
      />
      <OneOf
        wide={wide}
        label="Unit"
        values={UNITS}
        words={UNIT_WORDS}
        value={unit}
        onChange={(value) => change({ unit: value })}
      />
      <OneOf
        wide={wide}
        label="Frames"
        values={LEDGER_SCOPES}
        words={SCOPE_WORDS}
        value={frames}
        onChange={(value) => change({ scope: value })}
      />
      <input
        id="ledger-search"
        type="search"
        aria-label="Search by name"
        placeholder="Search  /"
        value={search}
        className="h-7 w-20 grow rounded border border-line bg-leaf px-2"
        onChange={(event) => change({ search: event.target.value })}
        onKeyDown={(event) => {
          event.stopPropagation()
          if (event.key === 'Escape') event.currentTarget.blur()
        }}
      />
      <div className="flex">
        {by === 'path' && (
          <>
            <IconButton label="Fold all" onClick={() => fold(true)}>
              <ChevronsDownUp size={15} />
            </IconButton>
            <IconButton label="Unfold all" onClick={() => fold(false)}>
              <ChevronsUpDown size={15} />
            </IconButton>
          </>
        )}
        {by === 'group' && (
          <IconButton label="Budgets of groups" onClick={openBudgets}>
            <Scale size={15} />
          </IconButton>
        )}
        <IconButton
          label="Copy as CSV"
          onClick={() => void copyText(ledgerCsv(lines, take), `${lines.length} lines are`)}
        >
          <Copy size={15} />
        </IconButton>
        <IconButton label="Save as CSV" onClick={() => saveCsv(lines, take, query)}>
          <Download size={15} />
        </IconButton>
      </div>
    </div>
  )
}

interface OneOfProps<T extends string> {
  wide: boolean
  label: string
  values: readonly T[]
  words: Record<T, string>
  value: T
  onChange(value: T): void
}

/** A choice with all its values in sight, where there is room. */
function OneOf<T extends string>({ wide, words, ...choice }: OneOfProps<T>) {
  return wide ? <Choice words={words} {...choice} /> : <Select words={(value) => words[value]} {...choice} />
}

function saveCsv(lines: LedgerLine[], take: OpenTake, { from, to }: { from: number; to: number }): void {
  saveText(
    `${take.detail.name || take.detail.game} frames ${from}-${to}.csv`,
    'text/csv',
    ledgerCsv(lines, take),
  )
}
