import { useCallback, useEffect, useRef, useState } from 'react'
import { Canvas, type Draw } from '../components/canvas.tsx'
import { firstSince } from '../state/live.ts'
import type { OpenTake } from '../state/take.ts'
import { drawStrip } from '../strip/draw-strip.ts'
import { frameAtX, type Window } from '../strip/geometry.ts'
import { movePlayHead } from './playback.ts'

interface LiveStripProps {
  take: OpenTake
  budgetMs: number
  /** Seconds in sight. */
  seconds: number
  /** Told which frame was clicked. */
  onPick(frame: number): void
}

/** The latest frames, moving past as they come. */
export function LiveStrip({ take, budgetMs, seconds, onPick }: LiveStripProps) {
  const [window, setWindow] = useState<Window>({ from: 0, to: 1 })
  const canvas = useRef<HTMLCanvasElement>(null)
  const frames = useRef(take.frames)
  frames.current = take.frames

  useEffect(() => {
    let headNs = NaN
    let lastMs = performance.now()
    let request = requestAnimationFrame(function turn(nowMs) {
      const { startNs, durationNs } = frames.current
      if (startNs.length > 0) {
        const latestNs = startNs.at(-1)! + durationNs.at(-1)!
        headNs = movePlayHead(headNs, (nowMs - lastMs) * 1e6, latestNs)
        const to = firstSince(startNs, (latestNs - headNs) / 1e9) + 1
        const from = firstSince(startNs, (latestNs - headNs) / 1e9 + seconds)
        setWindow((current) => (current.from === from && current.to === to ? current : { from, to }))
      }
      lastMs = nowMs
      request = requestAnimationFrame(turn)
    })
    return () => cancelAnimationFrame(request)
  }, [seconds])

  const draw = useCallback<Draw>(
    (context, width, height, palette) =>
      drawStrip(context, width, height, palette, {
        frames: take.frames,
        moments: take.detail.moments,
        stretches: take.detail.stretches,
        window,
        budgetMs,
        frame: null,
        range: null,
        lit: [],
        byMachine: [],
        speed: null,
        planned: null,
      }),
    [take, window, budgetMs],
  )
  return (
    <div className="h-full w-full" data-testid="live-strip" data-to={window.to}>
      <Canvas
        ref={canvas}
        draw={draw}
        role="img"
        aria-label={`The last ${seconds} seconds, moving. Click a frame to freeze and read it.`}
        className="block cursor-pointer touch-none"
        onClick={(event) => onPick(frameAtX(event.nativeEvent.offsetX, window, canvas.current!.clientWidth))}
      />
    </div>
  )
}
