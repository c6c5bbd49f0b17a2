/** Markers as rows of their table. */
import type { MarkerDeclaration, MarkerKind, Place } from '@lapsus/core/format'
import type { Marker } from '@lapsus/core/take'
import type { CreationAttributes, Transaction } from 'sequelize'
import { createInBatches } from './batches.ts'
import type { Row, Store } from './store.ts'

type MarkerRow = Row<'markers'>

const listJson = (list: readonly unknown[]) => (list.length > 0 ? JSON.stringify(list) : null)
const listOf = <T>(json: string | null) => (json === null ? [] : (JSON.parse(json) as T[]))

const rowOfMarker = (takeId: string, marker: Marker): CreationAttributes<MarkerRow> => ({
  ...{ takeId, id: marker.id, name: marker.name, kind: marker.kind },
  ...{ markerGroup: marker.group, groupId: marker.groupId },
  tags: listJson(marker.tags),
  watches: listJson(marker.watches),
  place: marker.at === null ? null : JSON.stringify(marker.at),
})

type Stored = Pick<MarkerRow, 'id' | 'name' | 'markerGroup' | 'kind' | 'tags' | 'watches' | 'place'>

export const markerOfRow = (row: Stored): MarkerDeclaration => ({
  ...{ id: row.id, name: row.name, group: row.markerGroup, kind: row.kind as MarkerKind },
  tags: listOf<string>(row.tags),
  watches: listOf<number>(row.watches),
  at: row.place === null ? null : (JSON.parse(row.place) as Place),
})

/** Writes markers, and over those that are there already their places. */
export const storeMarkers = (
  store: Store,
  takeId: string,
  markers: readonly Marker[],
  transaction: Transaction,
): Promise<void> =>
  createInBatches(
    store.markers,
    markers.map((marker) => rowOfMarker(takeId, marker)),
    { transaction, updateOnDuplicate: ['place'] },
  )
