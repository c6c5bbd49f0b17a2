import { plural } from '@lapsus/core/words'
import { useCallback } from 'react'
import { Canvas, type Draw } from '../components/canvas.tsx'
import type { Join, Place, SideName } from './comparer.ts'
import { drawJoins } from './draw-joins.ts'

interface JoinBandProps {
  joins: readonly Join[]
  /** Frames of either side. */
  frames: Record<SideName, number>
  pair: Record<SideName, Place> | null
}

/** Between the two strips: lines from frame to frame where they match. */
export function JoinBand({ joins, frames, pair }: JoinBandProps) {
  const draw = useCallback<Draw>(
    (context, width, height, palette) =>
      drawJoins({ context, width, height, palette }, { joins, frames, chosen: chosenOf(pair) }),
    [joins, frames, pair],
  )
  const said =
    joins.length === 0
      ? 'No moment of both sides to join frames by'
      : `Frames joined by ${plural(joins.length, 'moment')} that both sides have`
  return (
    <div className="h-6" title={said}>
      <Canvas draw={draw} role="img" aria-label={said} />
    </div>
  )
}

const chosenOf = (pair: JoinBandProps['pair']) =>
  pair === null ? null : { before: pair.before.at, after: pair.after.at }
