import { Suspense } from 'react'
import { Boundary } from '../components/boundary.tsx'
import { later } from '../components/later.tsx'
import { Words } from '../components/words.tsx'
import { SIGHTS } from '../lists/sights.ts'
import type { SightProps } from '../sights/sight.ts'
import { useView } from '../state/view.ts'

const VIEWS = Object.fromEntries(SIGHTS.map(({ name, load }) => [name, later(load)]))

/** Makes a sight quick to show, if there is one of that name. */
export const fetchSight = (name: string): void => void VIEWS[name]?.fetch().catch(() => {})

/** The middle of the workbench: what a question, or a finding, is answered with. */
export function Middle({ take, budgetMs }: SightProps) {
  const sight = useView((view) => view.sight)
  const View = VIEWS[sight]!
  return (
    <Boundary key={sight}>
      <Suspense fallback={<Words title="Opening…" />}>
        <View take={take} budgetMs={budgetMs} />
      </Suspense>
    </Boundary>
  )
}
