import { Choice } from '../components/choice.tsx'
import { SIGHTS, useView, type Sight } from '../state/view.ts'

const WORDS: Record<Sight, string> = {
  frame: 'frame',
  ledger: 'ledger',
  spikes: 'spikes',
  memory: 'memory',
  roster: 'roster',
  scaling: 'scaling',
  waiting: 'waiting',
  forecast: 'forecast',
  proof: 'proof',
}

/** What the middle shows. */
export function SightTabs() {
  const { sight, change } = useView()
  return (
    <nav className="flex h-9 shrink-0 items-center border-b border-line px-2" aria-label="Evidence">
      <Choice
        label="View"
        values={SIGHTS}
        words={WORDS}
        value={sight}
        onChange={(next) => change({ sight: next })}
      />
    </nav>
  )
}
