import { useEffect, useMemo, useState } from 'react'
import { ms, three } from '@lapsus/core/words'
import { Button } from '../components/button.tsx'
import { Choice } from '../components/choice.tsx'
import { Window } from '../components/window.tsx'
import { useBudgets } from '../state/budgets.ts'
import type { OpenTake } from '../state/take.ts'

interface WindowProps {
  take: OpenTake
  budgetMs: number
  open: boolean
  onOpenChange(open: boolean): void
}

/** Splits the budget of a frame among the groups of the game. */
export function BudgetsWindow({ take, budgetMs, open, onOpenChange }: WindowProps) {
  const { groups, device, setFor, save } = useBudgets()
  const names = useMemo(
    () =>
      [
        ...new Set([
          ...take.detail.markers.filter(({ kind }) => kind === 'work').map(({ group }) => group),
          ...Object.keys(groups),
        ]),
      ].sort(),
    [take, groups],
  )
  const [drafts, setDrafts] = useState<Record<string, string>>({})
  const [madeFor, setMadeFor] = useState<'device' | 'any'>('device')
  useEffect(() => {
    if (!open) return
    setDrafts(Object.fromEntries(Object.entries(groups).map(([group, value]) => [group, String(value)])))
    setMadeFor(
      device !== '' && setFor === device
        ? 'device'
        : device === ''
          ? 'any'
          : setFor === '' && Object.keys(groups).length > 0
            ? 'any'
            : 'device',
    )
  }, [open, groups, device, setFor])
  const wrong = Object.entries(drafts).find(
    ([, text]) => text.trim() !== '' && !(Number(text) > 0 && Number(text) <= 10_000),
  )
  const given = Object.entries(drafts).filter(([, text]) => text.trim() !== '')
  const sum = given.reduce((total, [, text]) => total + (Number(text) || 0), 0)
  return (
    <Window
      title="Budgets of groups"
      about={`What each group of markers may take of the ${ms(budgetMs)} of a frame. Ledger, findings and plans show each against its share.`}
      open={open}
      onOpenChange={onOpenChange}
    >
      <form
        onSubmit={(event) => {
          event.preventDefault()
          if (wrong !== undefined) return
          const split = Object.fromEntries(given.map(([group, text]) => [group, Number(text)]))
          void save(take.detail.id, { device: madeFor === 'device' ? device : '', groups: split })
          onOpenChange(false)
        }}
      >
        {device !== '' && (
          <div className="mb-3 flex">
            <Choice<'device' | 'any'>
              label="For"
              values={['device', 'any']}
              words={{ device: `on ${device}`, any: 'on any device' }}
              value={madeFor}
              onChange={setMadeFor}
            />
          </div>
        )}
        <div className="grid grid-cols-[minmax(0,1fr)_6rem_3rem] gap-x-3 gap-y-1">
          {names.map((group) => (
            <label key={group} className="contents">
              <span className="self-center truncate">{group || 'without a group'}</span>
              <input
                inputMode="decimal"
                aria-label={`Budget of ${group || 'markers without a group'}, ms`}
                className="h-7 rounded border border-line bg-paper px-2 text-right tabular-nums"
                value={drafts[group] ?? ''}
                onChange={(event) => setDrafts({ ...drafts, [group]: event.target.value })}
              />
              <span className="self-center text-faint">ms</span>
            </label>
          ))}
        </div>
        <p className={`mt-3 text-xs ${wrong !== undefined || sum > budgetMs ? 'text-alarm' : 'text-faint'}`}>
          {wrong !== undefined
            ? `${wrong[0]}: a number above 0 and at most 10,000, in ms`
            : `${three(sum)} ms of ${ms(budgetMs)} are given${sum > budgetMs ? ': more than there is' : ''}`}
        </p>
        <div className="mt-4 flex gap-2">
          <Button type="submit" strong disabled={wrong !== undefined}>
            Keep
          </Button>
          <Button type="button" onClick={() => onOpenChange(false)}>
            Cancel
          </Button>
        </div>
      </form>
    </Window>
  )
}
