import { ChevronDown, PanelRightClose, PanelRightOpen, Plus, Redo2, Undo2 } from 'lucide-react'
import { IconButton } from '../components/button.tsx'
import { Editable } from '../components/editable.tsx'
import { Menu } from '../components/menu.tsx'
import { plural } from '@lapsus/core/words'
import { usePlan } from '../state/plan.ts'
import { useSettings } from '../state/settings.ts'
import type { OpenTake } from '../state/take.ts'
import { PlanItemCard } from './plan-item.tsx'
import { PlanMenu } from './plan-menu.tsx'
import { PlanSum } from './plan-sum.tsx'
import { usePlanning } from './use-planning.ts'

/** The plan, beside everything: remedies in order, and what they come to. */
export function PlanColumn({ take }: { take: OpenTake }) {
  const { planOpen, setPlanOpen } = useSettings()
  usePlanning(take)
  if (!planOpen) {
    return (
      <aside className="flex w-9 shrink-0 flex-col items-center border-l border-line py-1">
        <IconButton label="Show the plan (p)" onClick={() => setPlanOpen(true)}>
          <PanelRightOpen size={16} />
        </IconButton>
      </aside>
    )
  }
  return (
    <aside aria-label="Plan" className="flex w-76 shrink-0 flex-col border-l border-line" data-testid="plan">
      <div className="flex h-9 shrink-0 items-center gap-1 border-b border-line pr-1 pl-3">
        <h2 className="font-serif text-base font-bold">Plan</h2>
        <History />
        <span className="grow" />
        <PlanMenu take={take} />
        <IconButton label="Fold the plan away (p)" onClick={() => setPlanOpen(false)}>
          <PanelRightClose size={16} />
        </IconButton>
      </div>
      <Contents />
    </aside>
  )
}

function History() {
  const past = usePlan((state) => state.history?.past.length ?? 0)
  const future = usePlan((state) => state.history?.future.length ?? 0)
  const { undo, redo } = usePlan.getState()
  return (
    <>
      <IconButton label="Take back (Ctrl Z)" disabled={past === 0} onClick={undo}>
        <Undo2 size={14} />
      </IconButton>
      <IconButton label="Make again (Ctrl Shift Z)" disabled={future === 0} onClick={redo}>
        <Redo2 size={14} />
      </IconButton>
    </>
  )
}

function Contents() {
  const { plans, plan, item, forecast, reading, error } = usePlan()
  const { begin } = usePlan.getState()
  if (error !== null) return <p className="p-3 text-alarm">{error}</p>
  if (plans === null) return <p className="p-3 text-faint">Looking for plans…</p>
  return (
    <>
      <Chooser />
      {reading !== null && <Reading share={reading} />}
      {plan === null ? (
        <div className="space-y-2 p-3 text-faint">
          <p>
            {plans.length === 0
              ? 'There is no plan yet. Choose a finding and take one of its remedies, or begin an empty one.'
              : 'No plan is open.'}
          </p>
          <button type="button" className="underline" onClick={() => void begin()}>
            Begin a plan
          </button>
        </div>
      ) : (
        <div className="min-h-0 grow overflow-y-auto">
          <PlanSum />
          {plan.items.length === 0 && (
            <p className="p-3 text-faint">
              Nothing is planned yet. Each finding offers what fits; any row of the ledger can be given a
              remedy too.
            </p>
          )}
          {plan.items.map((one, place) => (
            <PlanItemCard
              key={one.id}
              item={one}
              place={place}
              chosen={one.id === item}
              forecast={forecast?.forecast.items.find(({ id }) => id === one.id) ?? null}
            />
          ))}
        </div>
      )}
    </>
  )
}

function Chooser() {
  const plans = usePlan((state) => state.plans) ?? []
  const name = usePlan((state) => state.plan?.name ?? null)
  const id = usePlan((state) => state.id)
  const { open, begin, change } = usePlan.getState()
  if (name === null && plans.length === 0) return null
  return (
    <div className="flex h-9 shrink-0 items-center gap-1 border-b border-line px-2">
      {name !== null && (
        <Editable
          label="Name of the plan"
          placeholder="name this plan"
          value={name}
          className="w-0 grow"
          onCommit={(next) => change({ name: next })}
        />
      )}
      {name === null && <span className="grow text-faint">No plan is open</span>}
      {plans.length > (name === null ? 0 : 1) && (
        <Menu
          small
          label="Other plans of this game"
          picture={<ChevronDown size={15} />}
          items={plans
            .filter((one) => one.id !== id)
            .map((one) => ({
              label: `${one.name || 'without a name'} (${plural(one.items, 'item')})`,
              run: () => void open(one.id),
            }))}
        />
      )}
      <IconButton label="Another plan" onClick={() => void begin()}>
        <Plus size={15} />
      </IconButton>
    </div>
  )
}

function Reading({ share }: { share: number }) {
  return (
    <div className="px-3 py-1.5 text-xs text-faint" role="status">
      reading the take to plan on it, {Math.round(share * 100)} %
      <div className="mt-1 h-0.75 rounded bg-line">
        <div className="h-full rounded bg-work" style={{ width: `${share * 100}%` }} />
      </div>
    </div>
  )
}
