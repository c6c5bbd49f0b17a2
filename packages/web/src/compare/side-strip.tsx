import { plural } from '@lapsus/core/words'
import { useCallback, type KeyboardEvent } from 'react'
import { Canvas, type Draw } from '../components/canvas.tsx'
import { drawProofStrip } from '../sights/proof/draw-proof-strip.ts'

interface SideStripProps {
  words: string
  workNs: Float64Array
  budgetMs: number
  lit: Uint32Array
  /** The frame that is looked at, among all of the side; null for none. */
  frame: number | null
  onPick(frame: number): void
}

const STEPS: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1, PageUp: -60, PageDown: 60 }

/** All frames of one side; one that is clicked is looked at beside its counterpart. */
export function SideStrip({ words, workNs, budgetMs, lit, frame, onPick }: SideStripProps) {
  const draw = useCallback<Draw>(
    (context, width, height, palette) =>
      drawProofStrip({ context, width, height, palette }, { words, workNs, budgetMs, lit, frame }),
    [words, workNs, budgetMs, lit, frame],
  )
  const pick = (at: number) => onPick(Math.min(workNs.length - 1, Math.max(0, at)))
  const onKeyDown = (event: KeyboardEvent) => {
    const step = STEPS[event.key]
    if (step === undefined) return
    event.preventDefault()
    pick((frame ?? -1) + step)
  }
  return (
    <div
      className="h-20 cursor-pointer border-b border-line/50"
      role="slider"
      tabIndex={0}
      aria-label={`Frame ${words}`}
      aria-valuemin={0}
      aria-valuemax={Math.max(0, workNs.length - 1)}
      aria-valuenow={frame ?? 0}
      aria-valuetext={
        frame === null ? 'none is chosen' : `frame ${frame} of ${plural(workNs.length, 'frame')}`
      }
      onKeyDown={onKeyDown}
      onClick={({ nativeEvent: { offsetX }, currentTarget }) =>
        pick(Math.floor((offsetX / currentTarget.clientWidth) * workNs.length))
      }
    >
      <Canvas draw={draw} role="img" aria-label={`Work of all frames, ${words}`} />
    </div>
  )
}
