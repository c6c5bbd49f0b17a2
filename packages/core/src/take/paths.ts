import { FormatError, LIMITS } from '../format/index.ts'
import type { Marker } from './declarations.ts'

/** No parent: the path's marker is the outermost one inside the frame. */
export const NO_PATH = -1

/** A chain of markers on one lane. */
export interface Path {
  id: number
  /** NO_PATH for the outermost. */
  parent: number
  lane: number
  marker: number
  group: number
  depth: number
  /** No marker further out is the same: its total counts towards the marker's total. */
  outermostOfMarker: boolean
  /** No marker further out is of the same group. */
  outermostOfGroup: boolean
}

/** All paths of a take, numbered in order of first appearance. A parent's number is below its children's. */
export class PathTable {
  readonly all: Path[] = []
  readonly #ids = new Map<number, number>()

  /** The number of the path that adds `marker` to `parent`; made if it is new. */
  child(parent: number, lane: number, marker: Marker): number {
    const key =
      parent === NO_PATH ? -1 - (lane * LIMITS.markers + marker.id) : parent * LIMITS.markers + marker.id
    const known = this.#ids.get(key)
    return known ?? this.#add(key, parent, lane, marker)
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

  #add(key: number, parent: number, lane: number, marker: Marker): number {
    const id = this.all.length
    if (id >= LIMITS.paths) throw new FormatError('too-large', `more than ${LIMITS.paths} chains of markers`)
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
      depth,
      outermostOfMarker,
      outermostOfGroup,
    })
    this.#ids.set(key, id)
    return id
  }
}
