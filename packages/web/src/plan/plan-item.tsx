import { ArrowDown, ArrowUp, GripVertical, Trash2 } from 'lucide-react'
import {
  EFFORTS,
  ITEM_STATES,
  REMEDIES,
  type ItemForecast,
  type PlanItem,
  type Value,
} from '@lapsus/core/remedy'
import { ms } from '@lapsus/core/words'
import { IconButton } from '../components/button.tsx'
import { Select } from '../components/select.tsx'
import { usePlan, weightiest } from '../state/plan.ts'
import { useView } from '../state/view.ts'
import { InputRow } from './input-row.tsx'
import { TextField } from './text-field.tsx'

interface ItemProps {
  item: PlanItem
  place: number
  /** Null until it is worked out. */
  forecast: ItemForecast | null
  chosen: boolean
}

/** One remedy of the plan: a line, and all of it when it is chosen. */
export function PlanItemCard({ item, place, forecast, chosen }: ItemProps) {
  const { choose, changeItem, moveItem } = usePlan.getState()
  const isOut = !item.on || item.state === 'dropped'
  return (
    <article
      data-testid="plan-item"
      data-remedy={item.remedy}
      className={`border-b border-line/60 ${chosen ? 'bg-pick/60' : ''}`}
      draggable={!chosen}
      onDragStart={(event) => event.dataTransfer.setData('text/plain', item.id)}
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault()
        moveItem(event.dataTransfer.getData('text/plain'), place)
      }}
    >
      <div className="flex items-center gap-1 pr-2 pl-1">
        <GripVertical size={13} className="shrink-0 cursor-grab text-faint" aria-hidden />
        <input
          type="checkbox"
          aria-label={`Count ${REMEDIES[item.remedy].words} in the forecast`}
          title="Counts in the forecast"
          checked={item.on}
          onChange={(event) => changeItem(item.id, { on: event.target.checked })}
        />
        <button
          type="button"
          aria-expanded={chosen}
          className={`min-w-0 grow py-1.5 pl-1 text-left ${isOut ? 'opacity-60' : ''}`}
          onClick={() => {
            choose(chosen ? null : item.id)
            if (!chosen) useView.getState().change({ sight: 'forecast', path: forecast?.path ?? null })
          }}
        >
          <span className="flex items-baseline gap-2">
            <b
              className={`min-w-0 grow truncate font-medium ${item.state === 'dropped' ? 'line-through' : ''}`}
            >
              {place + 1}. {REMEDIES[item.remedy].words}
            </b>
            <Gain item={item} forecast={forecast} />
          </span>
          <span className="flex gap-2 text-xs text-faint">
            <span className="min-w-0 grow truncate">{item.path.at(-1) ?? 'whole frames'}</span>
            <span>{item.state}</span>
          </span>
        </button>
      </div>
      {chosen && <Details item={item} place={place} forecast={forecast} />}
    </article>
  )
}

function Gain({ item, forecast }: Pick<ItemProps, 'item' | 'forecast'>) {
  if (forecast === null) return <span className="text-xs text-faint">…</span>
  if (item.state === 'dropped' || !item.on) return <span className="text-xs text-faint">off</span>
  if (forecast.refusal !== null) return <span className="text-xs text-alarm">does nothing</span>
  const { gainMsPerFrame, gainMsAtBest } = forecast
  const single = gainMsPerFrame < 0.01 && gainMsAtBest > 0.1
  return (
    <span
      className="text-xs whitespace-nowrap tabular-nums"
      title={`Work it takes away of what the items above leave: ${ms(gainMsPerFrame)} a frame, ${ms(gainMsAtBest)} in the frame it helps most`}
    >
      {single ? `${ms(gainMsAtBest)} at best` : `−${ms(gainMsPerFrame)}`}
    </span>
  )
}

function Details({ item, place, forecast }: Omit<ItemProps, 'chosen'>) {
  const { changeItem, removeItem, moveItem } = usePlan.getState()
  const weighed = usePlan((state) => state.weighed)
  const matter = new Set(weightiest(weighed).flatMap((one) => (one.item === item.id ? [one.name] : [])))
  const set = (name: string) => (value: Value | null) => {
    const { [name]: _, ...others } = item.parameters
    changeItem(
      item.id,
      { parameters: value === null ? others : { ...others, [name]: value } },
      `parameter ${name}`,
    )
  }
  return (
    <div className="space-y-1.5 px-3 pb-2.5 text-[12.5px]">
      <p className="text-xs text-faint">
        {REMEDIES[item.remedy].about}
        {item.path.length > 1 && ` · in ${item.path.slice(0, -1).join(' › ')}`}
      </p>
      {forecast !== null && forecast.refusal !== null && <p className="text-alarm">{forecast.refusal}.</p>}
      {forecast?.problems
        .filter((problem) => problem !== forecast.refusal)
        .map((problem) => (
          <p key={problem} className="text-alarm">
            {problem}.
          </p>
        ))}
      {forecast?.inputs.map((input) => (
        <InputRow
          key={input.name}
          input={input}
          assumption={forecast.assumptions.find(({ name }) => name === input.name)!}
          matters={matter.has(input.name)}
          onSet={set(input.name)}
        />
      ))}
      {forecast !== null && forecast.price.length > 0 && (
        <p>
          <b className="font-medium">Price:</b> {forecast.price.join('; ')}.
        </p>
      )}
      {forecast !== null && forecast.notes.length > 0 && (
        <p className="text-xs text-faint">{forecast.notes.join('; ')}.</p>
      )}
      <div className="flex flex-wrap items-center gap-1.5 pt-1">
        <Select
          label="State"
          values={ITEM_STATES}
          words={(state) => state}
          value={item.state}
          onChange={(state) => changeItem(item.id, { state })}
        />
        <Select
          label="Effort"
          values={EFFORTS}
          words={(effort) => effort}
          value={item.effort}
          onChange={(effort) => changeItem(item.id, { effort })}
        />
        <span className="grow" />
        <IconButton label="Earlier" disabled={place === 0} onClick={() => moveItem(item.id, place - 1)}>
          <ArrowUp size={14} />
        </IconButton>
        <IconButton label="Later" onClick={() => moveItem(item.id, place + 1)}>
          <ArrowDown size={14} />
        </IconButton>
        <IconButton label="Remove from the plan" onClick={() => removeItem(item.id)}>
          <Trash2 size={14} />
        </IconButton>
      </div>
      {item.state === 'dropped' && (
        <TextField
          label="Why it was dropped"
          value={item.reason}
          onCommit={(reason) => changeItem(item.id, { reason })}
        />
      )}
      <TextField label="Who" value={item.who} onCommit={(who) => changeItem(item.id, { who })} />
      <TextField
        label="Note"
        value={item.note}
        lines={2}
        onCommit={(note) => changeItem(item.id, { note })}
      />
    </div>
  )
}
