import { useCallback, useRef } from 'react'
import { Canvas, type Draw } from '../../components/canvas.tsx'

interface LineProps {
  /** One a frame. */
  values: Float64Array
  onPick(frame: number): void
}

/** A column of values over the frames: each pixel shows the worst of its frames. */
export function CourseLine({ values, onPick }: LineProps) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const draw = useCallback<Draw>(
    (context, width, height, palette) => {
      let most = 0
      for (const value of values) most = Math.max(most, value)
      context.fillStyle = palette.paper
      context.fillRect(0, 0, width, height)
      context.fillStyle = palette.work
      for (let x = 0; x < width; x++) {
        const from = Math.floor((x * values.length) / width)
        const to = Math.max(from + 1, Math.floor(((x + 1) * values.length) / width))
        let worst = 0
        for (let frame = from; frame < to; frame++) worst = Math.max(worst, values[frame] ?? 0)
        const tall = most > 0 ? (worst / most) * (height - 1) : 0
        context.fillRect(x, height - tall, 1, tall)
      }
    },
    [values],
  )
  return (
    <Canvas
      ref={canvas}
      draw={draw}
      role="img"
      aria-label="Its self time over the frames"
      onClick={(event) => {
        const { width } = event.currentTarget.getBoundingClientRect()
        onPick(Math.min(values.length - 1, Math.floor((event.nativeEvent.offsetX / width) * values.length)))
      }}
    />
  )
}
