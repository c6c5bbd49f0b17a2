import { useEffect, useMemo, useState } from 'react'
import type { Page } from '@lapsus/api'
import { Hint } from '../components/hint.tsx'
import { loadPage, type OpenTake } from '../state/take.ts'
import { useView } from '../state/view.ts'
import { sampleWords } from './sample-words.ts'

/** Gauges, watched values, lives and updaters of the frame on the page. */
export function FrameSamples({ take }: { take: OpenTake }) {
  const frame = useView((view) => view.frame)
  const [page, setPage] = useState<Page | null>(null)
  useEffect(() => {
    let current = true
    // What cannot be read is said where the page would be.
    loadPage(take.detail.id, frame).then(
      (loaded) => current && setPage(loaded),
      () => {},
    )
    return () => void (current = false)
  }, [take.detail.id, frame])
  const words = useMemo(() => (page === null ? [] : sampleWords(take, page)), [take, page])
  if (words.length === 0) return null
  return (
    <ul
      aria-label="What the frame says besides times"
      className="flex max-h-16 shrink-0 flex-wrap gap-x-3 overflow-y-auto border-t border-line px-3 py-1 text-xs text-faint"
      data-testid="samples"
    >
      {words.map(({ text, about }) => (
        <li key={text}>
          <Hint text={about}>
            <span tabIndex={0}>{text}</span>
          </Hint>
        </li>
      ))}
    </ul>
  )
}
