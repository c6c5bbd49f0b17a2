import type { TakeDetail } from '@lapsus/api'
import { checkReport, checkSentence, subjectOf, type Checked, type CheckRow } from '@lapsus/core/gate'
import { dateTime, three } from '@lapsus/core/words'
import { useEffect, useRef, useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { checksApi } from '../api/checks.ts'
import { api } from '../api/takes.ts'
import { useAnswer } from '../api/use-answer.ts'
import { Button } from '../components/button.tsx'
import { Table, type TableColumn } from '../components/table.tsx'
import { Words } from '../components/words.tsx'
import { ThemeButton } from '../shell/theme-button.tsx'
import { ToLibrary } from '../shell/to-library.tsx'
import { notify } from '../state/notices.ts'
import { useSettings } from '../state/settings.ts'
import { copyText, saveText } from '../state/take-away.ts'

/** Takes held against a budget, as a build server would. The address names them. */
export function CheckPage() {
  const [params] = useSearchParams()
  const ids = (params.get('takes') ?? '').split(',').filter((id) => id !== '')
  const { answer, error } = useAnswer(`check ${ids.join()}`, (signal) =>
    Promise.all(ids.map((id) => api.take(id, signal))),
  )
  useEffect(() => {
    document.title = 'Check – Lapsus'
  }, [])
  return (
    <div className="grid h-full grid-rows-[auto_minmax(0,1fr)]">
      <header className="flex h-12 items-center gap-3 border-b border-line px-3">
        <ToLibrary />
        <h1 className="font-serif text-lg font-semibold whitespace-nowrap">Check</h1>
        <span className="flex min-w-0 items-center gap-2 text-[12.5px]">
          {(answer ?? []).map((take) => (
            <Link
              key={take.id}
              to={`/takes/${take.id}`}
              className="truncate underline decoration-line underline-offset-2"
            >
              {`${take.name || take.game}, ${dateTime(take.started)}`}
            </Link>
          ))}
        </span>
        <span className="grow" />
        <ThemeButton />
      </header>
      {error !== null ? (
        <Words alarm title="These takes could not be read">
          {error}
        </Words>
      ) : ids.length === 0 ? (
        <Words title="No take is named">Choose some in the library, and check them from there.</Words>
      ) : answer === null ? (
        <Words title="Opening…" />
      ) : (
        <Checking takes={answer} />
      )}
    </div>
  )
}

function Checking({ takes }: { takes: TakeDetail[] }) {
  const { game } = takes[0]!
  const { budgets, setBudget } = useSettings()
  const text = budgets[game] ?? ''
  const setText = (next: string) => setBudget(game, next)
  const [checked, setChecked] = useState<Checked | null>(null)
  const [isBusy, setBusy] = useState(false)
  const file = useRef<HTMLInputElement>(null)
  const telling = (work: Promise<unknown>) => {
    setBusy(true)
    void work.catch((error: Error) => notify(error.message)).finally(() => setBusy(false))
  }
  const make = async () => setText(`${JSON.stringify(await checksApi.budgetOf(takes[0]!.id), null, 2)}\n`)
  const check = async () => {
    const ids = takes.map(({ id }) => id)
    setChecked(await checksApi.check({ takes: ids, budget: parsed(text), against: [] }))
  }
  return (
    <div className="grid min-h-0 grid-cols-[24rem_minmax(0,1fr)]" data-testid="check">
      <section aria-label="Budget" className="flex min-h-0 flex-col gap-2 border-r border-line p-3">
        <label className="flex min-h-0 grow flex-col">
          <span className="mb-1 text-xs text-faint">
            Limits on frames, groups, paths, classes and findings, as JSON; kept in this browser for {game}
          </span>
          <textarea
            value={text}
            spellCheck={false}
            className="min-h-40 grow resize-none rounded border border-line bg-leaf p-2 font-mono text-xs"
            onChange={(event) => setText(event.target.value)}
          />
        </label>
        <div className="flex flex-wrap gap-2">
          <Button strong disabled={isBusy || text.trim() === ''} onClick={() => telling(check())}>
            {isBusy ? 'Working…' : 'Check'}
          </Button>
          <Button
            disabled={isBusy}
            title="Limits a little above what the first take has"
            onClick={() => telling(make())}
          >
            Make one of this take
          </Button>
          <Button onClick={() => file.current?.click()}>Open…</Button>
          <Button
            disabled={text.trim() === ''}
            onClick={() => saveText(`${game} budget.json`, 'application/json', text)}
          >
            Save
          </Button>
        </div>
        <input
          ref={file}
          type="file"
          accept=".json,application/json"
          aria-label="Budget file"
          className="hidden"
          onChange={(event) => {
            const chosen = event.target.files?.[0]
            if (chosen !== undefined) telling(chosen.text().then(setText))
            event.target.value = ''
          }}
        />
      </section>
      {checked === null ? (
        <Words title="Nothing is checked yet">
          Open a budget, write one, or make one of a take that is good as it is. A build server does the same
          with <code>npx lapsus check</code>.
        </Words>
      ) : (
        <Outcome checked={checked} />
      )}
    </div>
  )
}

/** @throws Error with words fit to show */
function parsed(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch (error) {
    throw new Error(`The budget is no JSON: ${(error as Error).message}`, { cause: error })
  }
}

const ORDER: CheckRow['outcome'][] = ['breached', 'cannot-tell', 'holds']
const OUTCOME_WORDS: Record<CheckRow['outcome'], string> = {
  breached: 'breached',
  'cannot-tell': 'cannot tell',
  holds: 'holds',
}

function Outcome({ checked }: { checked: Checked }) {
  const rows = ORDER.flatMap((outcome) => checked.rows.filter((row) => row.outcome === outcome))
  const columns: TableColumn<CheckRow>[] = [
    {
      id: 'take',
      head: 'take',
      about: 'Its name, or when it was made',
      align: 'left',
      cell: ({ take }) => take,
    },
    { id: 'what', head: 'what', about: 'What the limit is on', align: 'left', cell: subjectOf },
    {
      id: 'figure',
      head: 'figure',
      about: 'As the budget calls it',
      align: 'left',
      cell: ({ figure }) => figure,
    },
    {
      id: 'is',
      head: 'is',
      about: 'In the take',
      cell: ({ value }) => (value === null ? 'not known' : three(value)),
    },
    { id: 'most', head: 'at most', about: 'By the budget', cell: ({ most }) => three(most) },
    {
      id: 'outcome',
      head: 'outcome',
      about: 'What cannot be told is not passed: a build that relies on it fails, too',
      align: 'left',
      cell: ({ outcome, words }) => (
        <span className={outcome === 'breached' ? 'text-alarm' : ''}>
          {[OUTCOME_WORDS[outcome], words].filter((part) => part !== '').join(': ')}
        </span>
      ),
    },
  ]
  return (
    <section aria-label="Outcome" className="min-h-0 overflow-y-auto">
      <p className="border-b border-line px-4 py-3 text-[15px]" data-testid="check-words">
        {checkSentence(checked)}{' '}
        <button
          type="button"
          className="ml-2 text-xs underline"
          onClick={() => void copyText(checkReport(checked, true), 'The table is')}
        >
          Copy as Markdown
        </button>
      </p>
      {checked.problems.length > 0 && (
        <ul className="border-b border-line px-4 py-2 text-alarm">
          {checked.problems.map((words) => (
            <li key={words}>{words}</li>
          ))}
        </ul>
      )}
      <div className="px-2 py-2">
        <Table
          label="Limits"
          columns={columns}
          rows={rows}
          keyOf={({ take, of, name, figure }) => [take, of, ...name, figure].join('\n')}
        />
      </div>
    </section>
  )
}
