import { useCallback, useEffect } from 'react'
import type { TakeSummary } from '@lapsus/api'
import { Canvas, type Draw } from '../components/canvas.tsx'
import { useMiniatures } from '../state/miniatures.ts'

/** A take's frames in small: hanging from the top, the floor in the middle. */
export function Miniature({ take }: { take: TakeSummary }) {
  const { id, target, figures } = take
  const miniature = useMiniatures(({ known }) => known[id] ?? null)
  const want = useMiniatures((pictures) => pictures.want)
  // One that is still being recorded has none yet.
  useEffect(() => {
    if (figures !== null) want(id)
  }, [id, figures, want])
  const draw = useCallback<Draw>(
    (context, width, height, palette) => {
      if (miniature === null) return
      const budgetUs = 1e6 / target
      const scale = (height * 0.55) / budgetUs
      const columns = miniature.worstUs.length
      const columnWidth = width / columns
      for (let i = 0; i < columns; i++) {
        const x = Math.round(i * columnWidth)
        const w = Math.max(1, Math.round((i + 1) * columnWidth) - x)
        const worst = Math.min(height, miniature.worstUs[i]! * scale)
        const floor = budgetUs * scale
        context.fillStyle = palette.workSoft
        context.fillRect(x, 0, w, Math.min(worst, floor))
        context.fillStyle = palette.work
        context.fillRect(x, 0, w, Math.min(miniature.medianUs[i]! * scale, floor))
        context.fillStyle = palette.alarm
        if (worst > floor) context.fillRect(x, floor, w, worst - floor)
      }
      context.fillStyle = palette.ink
      context.fillRect(0, Math.round(budgetUs * scale), width, 1)
    },
    [miniature, target],
  )
  return (
    <div className="h-11 w-60 shrink-0 overflow-hidden rounded-sm bg-leaf">
      <Canvas draw={draw} role="img" aria-label="Work of all frames against the budget" />
    </div>
  )
}
