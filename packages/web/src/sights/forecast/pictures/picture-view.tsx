import { useCallback } from 'react'
import type { Picture } from '@lapsus/core/remedy'
import { Canvas, type Draw } from '../../../components/canvas.tsx'
import { drawPicture } from './draw-picture.ts'

/** The special picture of a remedy. */
export function PictureView({ picture }: { picture: Picture }) {
  const draw = useCallback<Draw>(
    (context, width, height, palette) => drawPicture({ context, width, height, palette }, picture),
    [picture],
  )
  return (
    <figure className="px-4 pb-2" data-testid="picture">
      <div className="h-44">
        <Canvas draw={draw} role="img" aria-label={`${picture.words}: ${picture.foot}`} />
      </div>
    </figure>
  )
}
