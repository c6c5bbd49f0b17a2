import { Choice } from '../components/choice.tsx'
import { SIGHT_NAMES, type SightName } from '../lists/sight-names.ts'
import { useView } from '../state/view.ts'

const WORDS = Object.fromEntries(SIGHT_NAMES.map((name) => [name, name])) as Record<SightName, string>

/** What the middle shows. */
export function SightTabs() {
  const { sight, change } = useView()
  return (
    <nav className="flex h-9 shrink-0 items-center border-b border-line px-2" aria-label="Evidence">
      <h2 className="sr-only">{sight}</h2>
      <Choice
        label="View"
        values={SIGHT_NAMES}
        words={WORDS}
        value={sight}
        onChange={(next) => change({ sight: next })}
      />
    </nav>
  )
}
