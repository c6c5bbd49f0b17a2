import { Choice } from '../components/choice.tsx'
import { SIGHT_NAMES, type SightName } from '../lists/sight-names.ts'
import { SIGHTS } from '../lists/sights.ts'
import type { OpenTake } from '../state/take.ts'
import { useView } from '../state/view.ts'

const WORDS = Object.fromEntries(SIGHT_NAMES.map((name) => [name, name])) as Record<SightName, string>

/** What the middle shows. */
export function SightTabs({ take }: { take: OpenTake }) {
  const { sight, change } = useView()
  const fitting = SIGHTS.filter(({ name, fits }) => name === sight || (fits?.(take) ?? true))
  return (
    <nav className="flex h-9 shrink-0 items-center border-b border-line px-2" aria-label="Views">
      <h2 className="sr-only">{sight}</h2>
      <Choice
        label="View"
        values={fitting.map(({ name }) => name)}
        words={WORDS}
        value={sight}
        onChange={(next) => change({ sight: next })}
      />
    </nav>
  )
}
