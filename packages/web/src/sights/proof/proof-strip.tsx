import { useCallback } from 'react'
import { Canvas, type Draw } from '../../components/canvas.tsx'
import { drawProofStrip } from './draw-proof-strip.ts'

/** The work of all frames of one side, small. */
export function ProofStrip({
  words,
  workNs,
  budgetMs,
}: {
  words: string
  workNs: Float64Array
  budgetMs: number
}) {
  const draw = useCallback<Draw>(
    (context, width, height, palette) =>
      drawProofStrip({ context, width, height, palette }, { words, workNs, budgetMs }),
    [words, workNs, budgetMs],
  )
  return (
    <div className="h-20 border-b border-line/50 last:border-b-0">
      <Canvas draw={draw} role="img" aria-label={`Work of all frames, ${words}`} />
    </div>
  )
}
