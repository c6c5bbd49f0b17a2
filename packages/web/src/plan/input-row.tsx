import { RotateCcw } from 'lucide-react'
import { useEffect, useState } from 'react'
import type { Assumption, ChoiceInput, Input, NumberInput, Value } from '@lapsus/core/remedy'
import { three } from '@lapsus/core/words'
import { IconButton } from '../components/button.tsx'
import { Hint } from '../components/hint.tsx'
import { Select } from '../components/select.tsx'
import { Slider } from '../components/slider.tsx'
import { spanOf, stepOf, tidy } from './scale.ts'

interface RowProps {
  input: Input
  assumption: Assumption
  /** It moves the result as much as only one other. */
  matters: boolean
  /** Null takes the suggested value again. */
  onSet(value: Value | null): void
}

/** One parameter of a remedy: where its value comes from, and a way to set it. */
export function InputRow({ input, assumption, matters, onSet }: RowProps) {
  const isSet = assumption.value !== input.suggested
  return (
    <div data-testid="input" data-name={input.name} className="py-0.5">
      <div className="flex items-baseline gap-1.5 text-xs">
        <Hint text={input.about}>
          <span tabIndex={0} className={`min-w-0 truncate ${matters ? 'font-semibold' : ''}`}>
            {input.words}
          </span>
        </Hint>
        <Origin assumption={assumption} />
        {matters && (
          <Hint text="One of the two that move the result most">
            <span tabIndex={0} className="whitespace-nowrap">
              ◂ matters
            </span>
          </Hint>
        )}
        <span className="grow" />
        {isSet && (
          <IconButton label="As suggested" className="size-5!" onClick={() => onSet(null)}>
            <RotateCcw size={11} />
          </IconButton>
        )}
      </div>
      {input.sort === 'choice' ? (
        <ChoiceField input={input} value={assumption.value as string} onSet={onSet} />
      ) : (
        <NumberField input={input} value={assumption.value as number} onSet={onSet} />
      )}
    </div>
  )
}

/** Measured and assumed figures must not be taken for one another. */
function Origin({ assumption: { origin } }: { assumption: Assumption }) {
  return (
    <Hint text={origin === 'measured' ? 'Taken from the recorded frames' : 'A judgement, not a measurement'}>
      <span
        tabIndex={0}
        className={`rounded-sm px-1 text-[11px] ${origin === 'measured' ? 'text-faint' : 'border border-dashed border-faint/60 text-faint'}`}
      >
        {origin}
      </span>
    </Hint>
  )
}

function ChoiceField({
  input,
  value,
  onSet,
}: {
  input: ChoiceInput
  value: string
  onSet: RowProps['onSet']
}) {
  return (
    <Select
      label={input.words}
      values={input.choices.map(({ id }) => id)}
      words={(id) => input.choices.find((choice) => choice.id === id)?.words ?? id}
      value={value}
      onChange={onSet}
    />
  )
}

function NumberField({
  input,
  value,
  onSet,
}: {
  input: NumberInput
  value: number
  onSet: RowProps['onSet']
}) {
  const [draft, setDraft] = useState<string | null>(null)
  useEffect(() => setDraft(null), [value])
  const span = spanOf(input, value)
  const commit = () => {
    const typed = draft === null || draft.trim() === '' ? NaN : Number(draft)
    setDraft(null)
    if (Number.isFinite(typed)) onSet(typed)
  }
  return (
    <>
      <div className="flex items-center gap-2">
        <Slider
          label={input.words}
          {...span}
          step={stepOf(input, span)}
          value={value}
          onChange={(next) => onSet(tidy(next, input.whole))}
        />
        <input
          aria-label={`${input.words}, as a number`}
          value={draft ?? (input.whole ? String(value) : three(value).replaceAll(',', ''))}
          className="h-6 w-16 rounded border border-line bg-leaf px-1 text-right text-xs tabular-nums"
          onChange={(event) => setDraft(event.target.value)}
          onBlur={commit}
          onKeyDown={(event) => {
            event.stopPropagation()
            if (event.key === 'Enter') commit()
            if (event.key === 'Escape') setDraft(null)
          }}
        />
        <span className="w-12 truncate text-xs text-faint">{input.unit}</span>
      </div>
      {input.others.length > 0 && (
        <p className="flex flex-wrap gap-x-2 text-[11px] text-faint">
          {input.others.map((other) => (
            <button
              key={other.words}
              type="button"
              className="underline decoration-line underline-offset-2 hover:text-ink"
              onClick={() => onSet(other.value)}
            >
              {other.words}: {input.whole ? other.value : three(other.value)}
            </button>
          ))}
        </p>
      )}
    </>
  )
}
