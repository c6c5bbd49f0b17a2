import { useCallback } from 'react'
import type { Picture } from '@lapsus/core/remedy'
import { Canvas, type Draw } from '../../components/canvas.tsx'
import { drawPicture } from './draw-pictures.ts'

const WORDS: Record<Picture['sort'], string> = {
  'live-curve': 'Instances alive against the size of the pool',
  load: 'Load of the periodic work over its common period, before and after',
  backlog: 'Work that comes in, is done, and waits',
  schedule: 'Jobs on their lanes in the frame with the most of them, with the join',
  layout: 'Bytes held and cache lines touched by one pass, in both layouts',
}

/** The special picture of a remedy. */
export function PictureView({ picture }: { picture: Picture }) {
  const draw = useCallback<Draw>(
    (context, width, height, palette) => drawPicture({ context, width, height, palette }, picture),
    [picture],
  )
  return (
    <figure className="px-4 pb-2" data-testid="picture" data-sort={picture.sort}>
      <div className="h-44">
        <Canvas draw={draw} role="img" aria-label={WORDS[picture.sort]} />
      </div>
    </figure>
  )
}
