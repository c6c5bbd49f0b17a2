import { Select } from 'radix-ui'
import { useState } from 'react'
import { Check, ChevronDown } from 'lucide-react'
import { ms, plain } from '@lapsus/core/words'
import { useView } from '../state/view.ts'

const USUAL = [30, 60, 90, 120]
const OWN = 'own'

/** Which target the take is judged by: the usual ones, or one of one's own. */
export function TargetChoice({ own, target }: { own: number; target: number }) {
  const change = useView((view) => view.change)
  const [typing, setTyping] = useState(false)
  const set = (value: number) => change({ target: value === own ? null : value })
  const choices = [...new Set([...USUAL, own, target])].sort((a, b) => a - b)

  if (typing) {
    return (
      <form
        className="flex items-center gap-1.5"
        onSubmit={(event) => {
          event.preventDefault()
          const value = Number(new FormData(event.currentTarget).get('target'))
          if (value > 0) set(value)
          setTyping(false)
        }}
      >
        <input
          name="target"
          type="number"
          min={1}
          max={10000}
          step="any"
          autoFocus
          aria-label="Target, frames a second"
          defaultValue={target}
          className="h-7 w-20 rounded border border-line bg-leaf px-2"
          onBlur={(event) => event.currentTarget.form?.requestSubmit()}
          onKeyDown={(event) => event.key === 'Escape' && setTyping(false)}
        />
        <span className="text-faint">frames a second</span>
      </form>
    )
  }
  return (
    <Select.Root
      value={String(target)}
      onValueChange={(value) => (value === OWN ? setTyping(true) : set(Number(value)))}
    >
      <Select.Trigger
        aria-label="Target"
        className="inline-flex h-7 shrink-0 items-center gap-1.5 rounded border border-line bg-leaf px-2 whitespace-nowrap hover:border-faint"
      >
        <Select.Value>
          target {plain(target)} · {ms(1000 / target)}
        </Select.Value>
        <ChevronDown size={14} />
      </Select.Trigger>
      <Select.Portal>
        <Select.Content
          position="popper"
          sideOffset={4}
          className="z-50 rounded border border-line bg-leaf p-1 shadow-lg"
        >
          <Select.Viewport>
            {choices.map((value) => (
              <Item key={value} value={String(value)}>
                {plain(value)} frames a second, {ms(1000 / value)}
                {value === own ? ' (as recorded)' : ''}
              </Item>
            ))}
            <Item value={OWN}>another…</Item>
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  )
}

function Item({ value, children }: { value: string; children: React.ReactNode }) {
  return (
    <Select.Item
      value={value}
      className="flex cursor-pointer items-center gap-2 rounded py-1 pr-3 pl-6 data-[highlighted]:bg-line/60"
    >
      <Select.ItemIndicator className="absolute left-2">
        <Check size={13} />
      </Select.ItemIndicator>
      <Select.ItemText>{children}</Select.ItemText>
    </Select.Item>
  )
}
