import type { PageAnswer } from '@lapsus/core/questions/page'
import { useCallback, useEffect, useMemo, useRef, useState, type PointerEvent } from 'react'
import { Canvas, type Draw } from '../../components/canvas.tsx'
import { Words } from '../../components/words.tsx'
import { ms, placeWords } from '@lapsus/core/words'
import { placeOfPath, type OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'
import { onPageCommand } from '../../state/commands.ts'
import { excessByPath, sumsByPath } from './compare.ts'
import { runWords } from './run-words.ts'
import { usePage } from './use-page.ts'
import { usePlannedPage } from './use-planned-page.ts'
import { drawPage, labelsOf, nameOf } from './draw-page.ts'
import { boxAt, fitScale, layoutPage, scaleTo, type PageBox, type PageScale } from './layout.ts'

const ZOOM_STEP = 1.2
const DRAG_PX = 4
const EMPTY = { lanes: [], boxes: [] }

interface PageProps {
  take: OpenTake
  budgetMs: number
  frame: number
  /** A frame it is compared with: ink shows what this one has more. */
  against?: number | null
  /** Whether it shows the frame as it would have been, where that is wished for. */
  mayBePlanned?: boolean
}

/** One frame, read top to bottom. */
export function PageView({ take, budgetMs, frame, against = null, mayBePlanned = false }: PageProps) {
  const { path, change } = useView()
  const { page: recorded, error } = usePage(take, frame)
  const page = usePlannedPage(take, recorded, mayBePlanned)
  const other = usePage(take, against).page
  /** Null while the whole frame is in sight. */
  const [scale, setScale] = useState<PageScale | null>(null)
  const [size, setSize] = useState({ width: 0, height: 0 })
  const [hovered, setHovered] = useState<{ box: PageBox; x: number; y: number } | null>(null)
  const press = useRef<{ y: number; topNs: number; moved: boolean } | null>(null)
  const canvas = useRef<HTMLCanvasElement>(null)

  const shownFrame = page?.frame
  useEffect(() => {
    setScale(null)
    setHovered(null)
  }, [shownFrame])
  const excess = useMemo(
    () =>
      page === null || other === null
        ? null
        : excessByPath(sumsByPath(page, take.paths), sumsByPath(other, take.paths)),
    [page, other, take.paths],
  )
  const shown = useMemo(
    () => scale ?? (page === null ? { topNs: 0, nsPerPx: 1 } : fitScale(page, budgetMs, size.height)),
    [scale, page, budgetMs, size.height],
  )
  const layout = useMemo(
    () =>
      page === null || size.width === 0 ? EMPTY : layoutPage(page, take, shown, size.width, size.height),
    [page, take, shown, size],
  )
  const draw = useCallback<Draw>(
    (context, width, height, palette) => {
      if (page === null) return
      drawPage(context, width, height, palette, {
        page,
        take,
        layout,
        scale: shown,
        budgetMs,
        path,
        excess,
        hovered: hovered?.box ?? null,
      })
    },
    [page, take, layout, shown, budgetMs, path, excess, hovered],
  )
  const onResized = useCallback((width: number, height: number) => setSize({ width, height }), [])

  const panBy = useCallback(
    (pixels: number) => setScale({ ...shown, topNs: shown.topNs + pixels * shown.nsPerPx }),
    [shown],
  )
  const zoomBy = useCallback(
    (factor: number, y: number) => {
      const atNs = shown.topNs + y * shown.nsPerPx
      const nsPerPx = Math.min(1e9, Math.max(0.5, shown.nsPerPx * factor))
      setScale({ topNs: atNs - y * nsPerPx, nsPerPx })
    },
    [shown],
  )

  useEffect(() => {
    const element = canvas.current
    if (element === null) return
    const onWheel = (event: WheelEvent) => {
      event.preventDefault()
      if (event.ctrlKey || event.metaKey) zoomBy(event.deltaY > 0 ? ZOOM_STEP : 1 / ZOOM_STEP, event.offsetY)
      else panBy(event.deltaY)
    }
    element.addEventListener('wheel', onWheel, { passive: false })
    return () => element.removeEventListener('wheel', onWheel)
  }, [panBy, zoomBy, page])

  useEffect(
    () =>
      onPageCommand((command) => {
        if (command === 'fit') setScale(null)
        else if (command === 'in' || command === 'out')
          zoomBy(command === 'in' ? 1 / ZOOM_STEP : ZOOM_STEP, size.height / 2)
        else panBy(command === 'up' ? -60 : 60)
      }),
    [panBy, zoomBy, size.height],
  )

  const onPointerMove = (event: PointerEvent) => {
    const { offsetX, offsetY } = event.nativeEvent
    const start = press.current
    if (start !== null && (start.moved || Math.abs(offsetY - start.y) > DRAG_PX)) {
      start.moved = true
      setScale({ ...shown, topNs: start.topNs - (offsetY - start.y) * shown.nsPerPx })
      setHovered(null)
      return
    }
    const box = boxAt(layout, offsetX, offsetY)
    setHovered(box === null ? null : { box, x: offsetX, y: offsetY })
  }

  const onPointerUp = (event: PointerEvent) => {
    const moved = press.current?.moved
    press.current = null
    if (moved) return
    const box = boxAt(layout, event.nativeEvent.offsetX, event.nativeEvent.offsetY)
    if (box === null) change({ path: null })
    else if (box.runs > 1) {
      setScale(scaleTo(box.startNs, box.endNs, size.height))
      if (box.alike) change({ path: box.path })
    } else change({ path: box.path })
  }

  if (error !== null)
    return (
      <Words alarm title="This frame could not be read">
        {error}
      </Words>
    )
  return (
    <div
      className="relative h-full w-full"
      data-testid="page"
      data-frame={page?.frame}
      data-boxes={layout.boxes.length}
    >
      <Canvas
        ref={canvas}
        draw={draw}
        onResized={onResized}
        role="img"
        aria-label={page === null ? 'The frame is loading' : `Frame ${page.frame}, read top to bottom`}
        onPointerDown={(event) => {
          press.current = { y: event.nativeEvent.offsetY, topNs: shown.topNs, moved: false }
          event.currentTarget.setPointerCapture(event.pointerId)
        }}
        onPointerMove={onPointerMove}
        onPointerUp={onPointerUp}
        onPointerLeave={() => setHovered(null)}
        onDoubleClick={(event) => {
          const box = boxAt(layout, event.nativeEvent.offsetX, event.nativeEvent.offsetY)
          setScale(box === null ? null : scaleTo(box.startNs, box.endNs, size.height))
        }}
      />
      {scale !== null && (
        <button
          type="button"
          className="absolute right-3 bottom-3 rounded border border-line bg-leaf px-2 py-1 text-xs shadow"
          onClick={() => setScale(null)}
        >
          Whole frame
        </button>
      )}
      {hovered !== null && (
        <BoxHint take={take} page={page!} box={hovered.box} x={hovered.x} y={hovered.y} width={size.width} />
      )}
    </div>
  )
}

function BoxHint({
  take,
  page,
  box,
  x,
  y,
  width,
}: {
  take: OpenTake
  page: PageAnswer
  box: PageBox
  x: number
  y: number
  width: number
}) {
  const chain = take.paths.chain(box.path).map((path) => nameOf(take, path))
  const [what] = labelsOf(take, box)
  const place = placeOfPath(take, box.path)
  return (
    <div
      className="pointer-events-none absolute z-10 w-64 rounded border border-line bg-leaf px-2.5 py-1.5 text-xs shadow-md"
      style={{ left: x + 280 > width ? x - 272 : x + 14, top: y + 12 }}
    >
      <b>{what}</b>
      {place !== null && box.runs === 1 && <div className="break-all text-faint">{placeWords(place)}</div>}
      <div className="text-faint">{chain.slice(0, -1).join(' › ') || 'outermost'}</div>
      <div>
        total {ms(box.totalNs / 1e6)}, self {ms(box.selfNs / 1e6)}
      </div>
      <div>
        from {ms(box.startNs / 1e6)} to {ms(box.endNs / 1e6)}
      </div>
      {box.runs === 1 && runWords(take, page, box).map((words) => <div key={words}>{words}</div>)}
      {box.runs > 1 && <div className="text-faint">Click to open</div>}
    </div>
  )
}
