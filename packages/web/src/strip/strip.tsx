import { useCallback, useEffect, useMemo, useRef, useState, type PointerEvent } from 'react'
import { classOf, longestWait, worstFrame } from '@lapsus/core/take'
import { Canvas, type Draw } from '../components/canvas.tsx'
import { ms } from '@lapsus/core/words'
import { useDiagnosis } from '../state/diagnosis.ts'
import { plannedNs } from '../plan/planned-frames.ts'
import { useForecastFrames } from '../plan/use-forecast.ts'
import type { OpenTake } from '../state/take.ts'
import { useView, type FrameRange } from '../state/view.ts'
import { drawStrip } from './draw-strip.ts'
import { nearestPicture, usePictures } from '../state/pictures.ts'
import { Still } from '../stills/still.tsx'
import { onStripCommand } from '../state/commands.ts'
import { frameAtX, pan, reveal, xOfFrame, zoom, type Window } from './geometry.ts'

/** Pointer travel in px from which a press is a drag. */
const DRAG_PX = 4
const ZOOM_STEP = 1.25
const PICTURES_EVERY_MS = 5_000

/** All frames of the take. Click to read one, drag to choose some, wheel to look closer. */
export function Strip({ take, budgetMs }: { take: OpenTake; budgetMs: number }) {
  const { frames, detail } = take
  const count = frames.startNs.length
  const { frame, range, finding, change } = useView()
  const diagnosis = useDiagnosis((state) => state.diagnosis)
  const lit = useMemo(
    () => diagnosis?.findings.find(({ id }) => id === finding)?.frames ?? [],
    [diagnosis, finding],
  )
  const byMachine = useMemo(
    () => diagnosis?.spikes.flatMap(({ machine, frame: at }) => (machine === null ? [] : [at])) ?? [],
    [diagnosis],
  )
  const speed = useMemo(
    () => (diagnosis === null ? null : { from: diagnosis.from, ...diagnosis.machine }),
    [diagnosis],
  )
  const planned = useForecastFrames(take)
  const [window, setWindow] = useState<Window>({ from: 0, to: count })
  const [hovered, setHovered] = useState<{ frame: number; x: number } | null>(null)
  const [dragged, setDragged] = useState<FrameRange | null>(null)
  const canvas = useRef<HTMLCanvasElement>(null)
  const press = useRef<{ x: number; frame: number } | null>(null)

  const { load: loadPictures } = usePictures()
  // More have come when there are more frames; each time would be too often.
  const isRecording = detail.state === 'recording'
  useEffect(() => {
    void loadPictures(detail.id)
    if (!isRecording) return
    const timer = setInterval(() => void loadPictures(detail.id), PICTURES_EVERY_MS)
    return () => clearInterval(timer)
  }, [detail.id, isRecording, loadPictures])

  useEffect(() => setWindow((current) => reveal(current, frame, count)), [frame, count])

  useEffect(
    () =>
      onStripCommand((command) =>
        setWindow((current) =>
          command === 'all'
            ? { from: 0, to: count }
            : zoom(current, frame, command === 'in' ? 1 / ZOOM_STEP : ZOOM_STEP, count),
        ),
      ),
    [frame, count],
  )

  const draw = useCallback<Draw>(
    (context, width, height, palette) =>
      drawStrip(context, width, height, palette, {
        frames,
        moments: detail.moments,
        stretches: detail.stretches,
        window,
        budgetMs,
        frame,
        range: dragged ?? range,
        lit,
        byMachine,
        speed,
        planned,
      }),
    [
      frames,
      detail.moments,
      detail.stretches,
      window,
      budgetMs,
      frame,
      range,
      dragged,
      lit,
      byMachine,
      speed,
      planned,
    ],
  )

  // React's wheel listeners are passive, and this one must keep the page from scrolling.
  useEffect(() => {
    const element = canvas.current!
    const onWheel = (event: WheelEvent) => {
      event.preventDefault()
      const { clientWidth } = element
      setWindow((current) => {
        if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
          const travelPx = event.deltaX || event.deltaY
          return pan(current, (travelPx / clientWidth) * (current.to - current.from), count)
        }
        const around = frameAtX(event.offsetX, current, clientWidth)
        return zoom(current, around, event.deltaY > 0 ? ZOOM_STEP : 1 / ZOOM_STEP, count)
      })
    }
    element.addEventListener('wheel', onWheel, { passive: false })
    return () => element.removeEventListener('wheel', onWheel)
  }, [count])

  const frameAt = (event: PointerEvent) =>
    frameAtX(event.nativeEvent.offsetX, window, canvas.current!.clientWidth)

  /** The frames between the press and here; null while it is a click. */
  const draggedTo = (event: PointerEvent): FrameRange | null => {
    const start = press.current
    if (start === null || Math.abs(event.nativeEvent.offsetX - start.x) <= DRAG_PX) return null
    const at = frameAt(event)
    return { from: Math.min(at, start.frame), to: Math.max(at, start.frame) }
  }

  const onPointerMove = (event: PointerEvent) => {
    setHovered({ frame: frameAt(event), x: event.nativeEvent.offsetX })
    setDragged(draggedTo(event))
  }

  const onPointerUp = (event: PointerEvent) => {
    if (press.current === null) return
    // Worked out anew: the state may still be that of an earlier move.
    const chosen = draggedTo(event)
    if (chosen === null) {
      change({ frame: frameAt(event) })
    } else {
      const inside = frame >= chosen.from && frame <= chosen.to
      change({ range: chosen, ...(inside ? {} : { frame: worstFrame(frames, chosen.from, chosen.to + 1) }) })
    }
    press.current = null
    setDragged(null)
  }

  // The number of the frame that is shown stands at the foot, too.
  const isCaretRight = xOfFrame(frame, window, 1) > 0.5
  return (
    <div className="relative h-full w-full" data-testid="strip">
      <Canvas
        ref={canvas}
        draw={draw}
        role="img"
        aria-label={`All ${count} frames against the budget of ${ms(budgetMs)}. Left and right arrow keys go from frame to frame.`}
        onPointerDown={(event) => {
          press.current = { x: event.nativeEvent.offsetX, frame: frameAt(event) }
          event.currentTarget.setPointerCapture(event.pointerId)
        }}
        onPointerMove={onPointerMove}
        onPointerUp={onPointerUp}
        onPointerCancel={() => {
          press.current = null
          setDragged(null)
        }}
        onPointerLeave={() => setHovered(null)}
      />
      {planned !== null && (
        <span
          className={`pointer-events-none absolute bottom-0 bg-leaf/80 px-1 text-xs text-faint ${isCaretRight ? 'left-2' : 'right-2'}`}
        >
          line: work with the plan, in the middle of every few frames; band: its range
        </span>
      )}
      {hovered !== null && (
        <StripHint
          take={take}
          budgetMs={budgetMs}
          frame={hovered.frame}
          x={hovered.x}
          forecastNs={plannedNs(planned, hovered.frame)}
        />
      )}
    </div>
  )
}

function StripHint({
  take,
  budgetMs,
  frame,
  x,
  forecastNs,
}: {
  take: OpenTake
  budgetMs: number
  frame: number
  x: number
  forecastNs: number | null
}) {
  const { frames } = take
  const kind = classOf(frames, frame, budgetMs * 1e6)
  const wait = longestWait(frames, frame)
  const toMs = (ns: number) => ms(ns / 1e6)
  const endNs = frames.startNs[frame]! + frames.durationNs[frame]!
  const picture = usePictures((state) => nearestPicture(state.pictures, endNs))
  return (
    <div
      className="pointer-events-none absolute top-7 z-10 rounded border border-line bg-leaf px-2 py-1 text-xs whitespace-nowrap shadow"
      style={{
        left: Math.max(4, x + 14),
        transform: x > globalThis.innerWidth - 230 ? 'translateX(calc(-100% - 28px))' : undefined,
      }}
    >
      <b>frame {frame}</b> {toMs(frames.durationNs[frame]!)}
      <br />
      work {toMs(frames.workNs[frame]!)}
      {kind === 'over' && (
        <span className="text-alarm"> over by {toMs(frames.workNs[frame]! - budgetMs * 1e6)}</span>
      )}
      {kind === 'held' && <span> late, held by {wait}</span>}
      {forecastNs !== null && (
        <>
          <br />
          with the plan {toMs(forecastNs)}
        </>
      )}
      {picture !== null && (
        <Still take={take.detail.id} picture={picture} atNs={endNs} className="mt-1 h-24 w-auto" />
      )}
    </div>
  )
}
