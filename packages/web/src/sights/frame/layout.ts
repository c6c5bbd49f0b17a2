/**
 * Lays one frame out as text is read: time runs down, lanes stand side by side, nesting goes inward to the
 * right. Runs too thin to carry a name are gathered. Pure; lengths in CSS pixels, times in ns from the
 * frame's start.
 */
import type { PageAnswer } from '@lapsus/core/questions/page'
import type { MarkerKind } from '@lapsus/core/format'
import { MAIN_LANE } from '@lapsus/core/take'
import type { OpenTake } from '../../state/take.ts'

/** Room for the times at the left edge and for the lanes' names at the top. */
export const AXIS = 52
export const HEAD = 24
/** A run lower than this cannot carry its name. */
export const THIN = 14
const LANE_GAP = 10
const NARROWEST_LEVEL = 34
const WIDEST_LEVEL = 120
/** A leaf's least width, so that names fit. */
const LEAF = 130

export interface PageScale {
  /** Time at the top edge of the lanes. */
  topNs: number
  nsPerPx: number
}

export interface PageBox {
  x: number
  y: number
  width: number
  height: number
  /** Index of the first span, and how many runs are gathered here; 1 for a single one. */
  span: number
  runs: number
  /** Path of the first, and whether all gathered runs are of that path. */
  path: number
  alike: boolean
  lane: number
  kind: MarkerKind
  startNs: number
  endNs: number
  /** Total of the runs, and self time of the runs themselves. */
  totalNs: number
  selfNs: number
  /** Of gathered runs: the path inside them with the most self time. */
  mostly: { path: number; selfNs: number } | null
}

interface PageLane {
  lane: number
  name: string
  x: number
  width: number
}

export interface PageLayout {
  lanes: PageLane[]
  boxes: PageBox[]
}

/** The scale at which the whole frame, and the floor, are in sight. */
export function fitScale(page: PageAnswer, budgetMs: number, height: number): PageScale {
  const shownNs = Math.max(page.durationNs, budgetMs * 1e6) * 1.04
  return { topNs: 0, nsPerPx: shownNs / Math.max(1, height - HEAD) }
}

/** The scale at which the time from `startNs` to `endNs` fills the view, with a little around it. */
export function scaleTo(startNs: number, endNs: number, height: number): PageScale {
  const margin = (endNs - startNs) * 0.06
  return {
    topNs: startNs - margin,
    nsPerPx: Math.max(1, (endNs - startNs + 2 * margin) / Math.max(1, height - HEAD)),
  }
}

export function layoutPage(
  page: PageAnswer,
  take: OpenTake,
  scale: PageScale,
  width: number,
  height: number,
): PageLayout {
  const tree = treeOf(page, take)
  const lanes = placeLanes(tree, take, width)
  const boxes: PageBox[] = []
  for (const lane of lanes) {
    const own = tree.lanes.find(({ id }) => id === lane.lane)!
    const level = levelWidth(own.depth, lane.width)
    placeSiblings(own.roots, 0)

    function placeSiblings(spans: number[], depth: number): void {
      for (let i = 0; i < spans.length;) {
        const span = spans[i]!
        if (heightOf(span) >= THIN) {
          placeSingle(span, depth)
          i++
        } else {
          let end = i + 1
          while (end < spans.length && heightOf(spans[end]!) < THIN) end++
          placeGathered(spans.slice(i, end), depth)
          i = end
        }
      }
    }

    function placeSingle(span: number, depth: number): void {
      const children = tree.children[span]!
      const box = boxOf([span], depth, children.length > 0 ? level : undefined)
      if (box === null) return
      boxes.push(box)
      placeSiblings(children, depth + 1)
    }

    function placeGathered(spans: number[], depth: number): void {
      const box = boxOf(spans, depth, undefined)
      if (box !== null) boxes.push(box)
    }

    /** @param boxWidth undefined to reach the lane's right edge */
    function boxOf(spans: number[], depth: number, boxWidth: number | undefined): PageBox | null {
      const first = spans[0]!
      const last = spans[spans.length - 1]!
      const startNs = page.spanStartNs[first]! - page.startNs
      const endNs = page.spanStartNs[last]! + page.spanDurationNs[last]! - page.startNs
      const top = HEAD + (startNs - scale.topNs) / scale.nsPerPx
      const bottom = HEAD + (endNs - scale.topNs) / scale.nsPerPx
      if (bottom < HEAD || top > height) return null
      const x = lane.x + depth * level
      const path = page.path[first]!
      let totalNs = 0
      let selfNs = 0
      for (const span of spans) {
        totalNs += page.spanDurationNs[span]!
        selfNs += tree.selfNs[span]!
      }
      return {
        x,
        y: top,
        width: boxWidth ?? lane.x + lane.width - x,
        height: Math.max(1, bottom - top),
        span: first,
        runs: spans.length,
        path,
        alike: spans.every((span) => page.path[span] === path),
        lane: lane.lane,
        kind: kindOf(take, path),
        startNs,
        endNs,
        totalNs,
        selfNs,
        mostly:
          spans.length > 1 || tree.children[first]!.length > 0 ? heaviestInside(tree, page, spans) : null,
      }
    }
  }
  return { lanes, boxes }

  function heightOf(span: number): number {
    return page.spanDurationNs[span]! / scale.nsPerPx
  }
}

const kindOf = ({ paths, markers }: OpenTake, path: number): MarkerKind =>
  markers.get(paths.get(path).marker)!.kind

interface PageTree {
  /** By span. */
  children: number[][]
  selfNs: Float64Array
  lanes: { id: number; roots: number[]; depth: number }[]
}

/** Parents and children from the order of the spans and the depth of their paths. */
function treeOf(page: PageAnswer, { paths }: OpenTake): PageTree {
  const children: number[][] = Array.from({ length: page.path.length }, () => [])
  const selfNs = Float64Array.from(page.spanDurationNs)
  const lanes = new Map<number, { id: number; roots: number[]; depth: number }>()
  const open: number[] = []
  for (let span = 0; span < page.path.length; span++) {
    const { lane: id, depth } = paths.get(page.path[span]!)
    if (!lanes.has(id)) lanes.set(id, { id, roots: [], depth: 0 })
    const lane = lanes.get(id)!
    lane.depth = Math.max(lane.depth, depth + 1)
    if (depth === 0) {
      lane.roots.push(span)
    } else {
      const parent = open[depth - 1]!
      children[parent]!.push(span)
      selfNs[parent] = Math.max(0, selfNs[parent]! - page.spanDurationNs[span]!)
    }
    open[depth] = span
  }
  if (!lanes.has(MAIN_LANE)) lanes.set(MAIN_LANE, { id: MAIN_LANE, roots: [], depth: 1 })
  return { children, selfNs, lanes: [...lanes.values()].sort((a, b) => a.id - b.id) }
}

/** Lanes share the width by how deep they nest. */
function placeLanes(tree: PageTree, take: OpenTake, width: number): PageLane[] {
  const wishes = tree.lanes.map(
    ({ id, depth }) => ((depth - 1) * WIDEST_LEVEL + LEAF) * (id === MAIN_LANE ? 1 : 0.6),
  )
  const sum = wishes.reduce((total, wish) => total + wish, 0)
  const room = width - AXIS - LANE_GAP * tree.lanes.length
  let x = AXIS
  return tree.lanes.map(({ id }, i) => {
    const lane = {
      lane: id,
      name: take.detail.lanes.find((declared) => declared.id === id)?.name ?? `lane ${id}`,
      x,
      width: (wishes[i]! / sum) * room,
    }
    x += lane.width + LANE_GAP
    return lane
  })
}

const levelWidth = (depth: number, width: number) =>
  depth === 1 ? width : Math.min(WIDEST_LEVEL, Math.max(NARROWEST_LEVEL, (width - LEAF) / (depth - 1)))

/** The path below these spans (themselves included) with the most self time. */
function heaviestInside(tree: PageTree, page: PageAnswer, spans: number[]): PageBox['mostly'] {
  const sums = new Map<number, number>()
  const visit = (span: number) => {
    sums.set(page.path[span]!, (sums.get(page.path[span]!) ?? 0) + tree.selfNs[span]!)
    tree.children[span]!.forEach(visit)
  }
  spans.forEach(visit)
  let heaviest: PageBox['mostly'] = null
  for (const [path, selfNs] of sums)
    if (heaviest === null || selfNs > heaviest.selfNs) heaviest = { path, selfNs }
  return heaviest
}

/** The box at a place, the innermost if several are. */
export function boxAt(layout: PageLayout, x: number, y: number): PageBox | null {
  for (let i = layout.boxes.length - 1; i >= 0; i--) {
    const box = layout.boxes[i]!
    if (x >= box.x && x < box.x + box.width && y >= box.y && y < box.y + Math.max(3, box.height)) return box
  }
  return null
}
