import { LIMITS, type MarkerKind } from '../format/index.ts'
import type { Marker } from './declarations.ts'

/** No parent: the path's marker is the outermost one inside the frame. */
export const NO_PATH = -1

/** There are as many paths as a take may have: the one asked for cannot be added. */
export class PathsFull extends Error {}

/** A chain of markers on one lane. */
export interface Path {
  id: number
  /** NO_PATH for the outermost. */
  parent: number
  lane: number
  marker: number
  group: number
  kind: MarkerKind
  depth: number
  /** No marker further out is the same: its total counts towards the marker's total. */
  outermostOfMarker: boolean
  /** No marker further out is of the same group. */
  outermostOfGroup: boolean
}

/** All paths of a take, numbered in order of first appearance. A parent's number is below its children's. */
export class PathTable {
  readonly all: Path[] = []
  /** Lane and depth of each path, by number: what loops over spans look up all the time. */
  readonly laneOf: number[] = []
  readonly depthOf: number[] = []
  /** By parent, then by marker: the child's number. Plain arrays, which are much faster here than maps. */
  readonly #children: (number | undefined)[][] = []
  /** The same for outermost markers, by lane. */
  readonly #roots: (number | undefined)[][] = []

  /** The number of the path that adds a marker to `parent`, or undefined if it is new. */
  find(parent: number, lane: number, marker: number): number | undefined {
    return parent === NO_PATH ? this.#roots[lane]?.[marker] : this.#children[parent]![marker]
  }

  /** The number of the path that adds `marker` to `parent`; made if it is new. @throws PathsFull */
  child(parent: number, lane: number, marker: Marker): number {
    return this.find(parent, lane, marker.id) ?? this.#add(parent, lane, marker)
  }

  get(id: number): Path {
    return this.all[id]!
  }

  /** Numbers of the paths from the outermost marker to `id` itself. */
  chain(id: number): number[] {
    const chain: number[] = []
    for (let at = id; at !== NO_PATH; at = this.all[at]!.parent) chain.unshift(at)
    return chain
  }

  #add(parent: number, lane: number, marker: Marker): number {
    const id = this.all.length
    if (id >= LIMITS.paths) throw new PathsFull()
    let outermostOfMarker = true
    let outermostOfGroup = true
    for (let at = parent; at !== NO_PATH; at = this.all[at]!.parent) {
      if (this.all[at]!.marker === marker.id) outermostOfMarker = false
      if (this.all[at]!.group === marker.groupId) outermostOfGroup = false
    }
    const depth = parent === NO_PATH ? 0 : this.all[parent]!.depth + 1
    this.all.push({
      id,
      parent,
      lane,
      marker: marker.id,
      group: marker.groupId,
      kind: marker.kind,
      depth,
      outermostOfMarker,
      outermostOfGroup,
    })
    this.laneOf.push(lane)
    this.depthOf.push(depth)
    this.#children.push([])
    const siblings = parent === NO_PATH ? (this.#roots[lane] ??= []) : this.#children[parent]!
    siblings[marker.id] = id
    return id
  }
}
