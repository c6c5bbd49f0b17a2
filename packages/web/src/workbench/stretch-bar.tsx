import { worstFrame } from '@lapsus/core/take'
import { dateTime, duration, three } from '@lapsus/core/words'
import type { OpenTake } from '../state/take.ts'
import { useView } from '../state/view.ts'

/** The stretches that a play-through kept, each with its cause: the list of its worst seconds. */
export function StretchBar({ take }: { take: OpenTake }) {
  const { range, change } = useView()
  const { stretches } = take.detail
  const { startNs, durationNs, workNs } = take.frames
  return (
    <div
      className="flex shrink-0 items-center gap-2 overflow-x-auto border-b border-line px-3 py-1.5"
      data-testid="stretches"
    >
      <span className="shrink-0 font-serif">{stretches.length} kept stretches</span>
      {stretches.map(({ firstFrame, cause, at }, i) => {
        const to = (stretches[i + 1]?.firstFrame ?? startNs.length) - 1
        if (to < firstFrame) return null
        const worst = worstFrame(take.frames, firstFrame, to + 1)
        const chosen = range?.from === firstFrame && range.to === to
        const lengthMs = (startNs[to]! + durationNs[to]! - startNs[firstFrame]!) / 1e6
        return (
          <button
            key={firstFrame}
            type="button"
            aria-pressed={chosen}
            title={`${dateTime(at)}: ${cause}. ${duration(lengthMs)}, worst frame ${worst}.`}
            className={`shrink-0 rounded border border-line px-2 py-0.5 text-left text-xs hover:border-faint ${chosen ? 'bg-pick' : 'bg-leaf'}`}
            onClick={() => change({ range: { from: firstFrame, to }, frame: worst })}
          >
            <b>{new Date(at).toLocaleTimeString('en-GB')}</b> {cause}
            <span className="text-faint">
              {' '}
              · {duration(lengthMs)}, worst {three(workNs[worst]! / 1e6)} ms
            </span>
          </button>
        )
      })}
    </div>
  )
}
