import {
  FormatError,
  type ClassDeclaration,
  type DeclareRecord,
  type GaugeDeclaration,
  type LaneDeclaration,
  type MarkerDeclaration,
  type WatchDeclaration,
} from '../format/index.ts'

/** The lane whose spans make up a frame's work and waiting. */
export const MAIN_LANE = 0

export interface Marker extends MarkerDeclaration {
  /** Number of the group within the take, in order of first appearance. */
  groupId: number
}

/** What a record declares, or what of it was new. */
export interface Declared {
  markers: Marker[]
  /** Known before, whose place in the code, or its lines, is told only now. */
  placed: Marker[]
  lanes: LaneDeclaration[]
  gauges: GaugeDeclaration[]
  watches: WatchDeclaration[]
  classes: ClassDeclaration[]
}

/** Everything that a take has declared so far, by id. */
export class Declarations {
  readonly markers = new Map<number, Marker>()
  readonly lanes = new Map<number, LaneDeclaration>()
  readonly gauges = new Map<number, GaugeDeclaration>()
  readonly watches = new Map<number, WatchDeclaration>()
  readonly classes = new Map<number, ClassDeclaration>()
  readonly #groupIds = new Map<string, number>()

  /**
   * Adds what a record declares; saying the same again is fine, and may tell the place of a marker later.
   * @returns what was new
   * @throws FormatError when an id is declared anew with another name
   */
  apply(record: Omit<DeclareRecord, 'record' | 'sequence'>): Declared {
    const markers = record.markers.map((marker) => ({ ...marker, groupId: this.#groupId(marker.group) }))
    const placed = this.#placeLater(markers)
    return {
      placed,
      markers: addNew(this.markers, markers, 'marker'),
      lanes: addNew(this.lanes, record.lanes, 'lane'),
      gauges: addNew(this.gauges, record.gauges, 'gauge'),
      watches: addNew(this.watches, record.watches, 'watch'),
      classes: addNew(this.classes, record.classes, 'class'),
    }
  }

  /** A place that is known stays; its lines may come later. */
  #placeLater(markers: readonly Marker[]): Marker[] {
    return markers.flatMap(({ id, name, at }) => {
      const known = this.markers.get(id)
      if (known === undefined || known.name !== name || at === null) return []
      const isNews = known.at === null || (known.at.source === null && at.source !== null)
      if (!isNews) return []
      const placed = { ...known, at: known.at === null ? at : { ...known.at, source: at.source } }
      this.markers.set(id, placed)
      return [placed]
    })
  }

  #groupId(group: string): number {
    const known = this.#groupIds.get(group)
    if (known !== undefined) return known
    this.#groupIds.set(group, this.#groupIds.size)
    return this.#groupIds.size - 1
  }

  marker(id: number): Marker {
    return this.markers.get(id) ?? undeclared('marker', id)
  }

  lane(id: number): LaneDeclaration {
    return this.lanes.get(id) ?? undeclared('lane', id)
  }

  gauge(id: number): GaugeDeclaration {
    return this.gauges.get(id) ?? undeclared('gauge', id)
  }

  watch(id: number): WatchDeclaration {
    return this.watches.get(id) ?? undeclared('watch', id)
  }

  classOf(id: number): ClassDeclaration {
    return this.classes.get(id) ?? undeclared('class', id)
  }

  get groups(): string[] {
    return [...this.#groupIds.keys()]
  }
}

function addNew<T extends { id: number; name: string }>(
  known: Map<number, T>,
  declared: T[],
  what: string,
): T[] {
  const added: T[] = []
  for (const item of declared) {
    const before = known.get(item.id)
    if (before === undefined) {
      known.set(item.id, item)
      added.push(item)
    } else if (before.name !== item.name) {
      throw new FormatError(
        'bad-field',
        `${what} ${item.id} to stay ${JSON.stringify(before.name)}, got ${JSON.stringify(item.name)}`,
      )
    }
  }
  return added
}

function undeclared(what: string, id: number): never {
  throw new FormatError('bad-field', `${what} ${id} to be declared before it is used`)
}
