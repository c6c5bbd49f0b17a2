import { useMemo } from 'react'
import { Hint } from '../../components/hint.tsx'
import { PlaceLink } from '../../code/place-link.tsx'
import { placeOfPath, type OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'
import { RecorderShare } from './frame-bar.tsx'
import { sampleWords } from './sample-words.ts'
import { usePage } from './use-page.ts'

/** Gauges, watched values, lives and updaters of the frame on the page. */
export function FrameSamples({ take }: { take: OpenTake }) {
  const { frame, path } = useView()
  const place = placeOfPath(take, path)
  const { page } = usePage(take, frame)
  const words = useMemo(() => (page === null ? [] : sampleWords(take, page)), [take, page])
  return (
    <ul
      aria-label="What the frame says besides times"
      className="flex max-h-16 shrink-0 flex-wrap gap-x-3 overflow-y-auto border-t border-line px-3 py-1 text-xs text-faint"
      data-testid="samples"
    >
      {place !== null && (
        <li>
          <PlaceLink at={place} game={take.detail.game} />
        </li>
      )}
      <li>
        <RecorderShare take={take} frame={frame} />
      </li>
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
