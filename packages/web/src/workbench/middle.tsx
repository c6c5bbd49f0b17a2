import { lazy, Suspense } from 'react'
import { Words } from '../components/words.tsx'
import { SIGHTS } from '../lists/sights.ts'
import type { SightProps } from '../sights/sight.ts'
import { useView } from '../state/view.ts'

const VIEWS = Object.fromEntries(
  SIGHTS.map(({ name, load }) => [name, lazy(async () => ({ default: await load() }))]),
)

/** The middle of the workbench: what a question, or a finding, is answered with. */
export function Middle({ take, budgetMs }: SightProps) {
  const sight = useView((view) => view.sight)
  const View = VIEWS[sight]!
  return (
    <Suspense fallback={<Words title="Opening…" />}>
      <View take={take} budgetMs={budgetMs} />
    </Suspense>
  )
}
