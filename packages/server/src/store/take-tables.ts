import { Declarations, PathTable, type TakeProgress } from '@lapsus/core/take'
import { markerOfRow } from './markers.ts'
import type { Store, TakeFields } from './store.ts'

const byId = (takeId: string) => ({
  where: { takeId },
  order: [['id', 'ASC']] as [string, string][],
  raw: true,
})

export interface TakeTables {
  declarations: Declarations
  paths: PathTable
}

/**
 * What a take has declared, and its paths; to be read, not added to. Those of a take that has ended hardly change,
 * and are kept.
 */
export function tablesOf(store: Store, row: TakeFields): Promise<TakeTables> {
  if (row.state === 'recording') return loadTables(store, row.id)
  return store.tables.get(`${row.id} ${row.lastSequence} ${row.placings}`, () => loadTables(store, row.id))
}

async function loadTables(store: Store, takeId: string): Promise<TakeTables> {
  const [markers, lanes, gauges, watches, classes, pathRows] = await Promise.all([
    store.markers.findAll(byId(takeId)),
    store.lanes.findAll(byId(takeId)),
    store.gauges.findAll(byId(takeId)),
    store.watches.findAll(byId(takeId)),
    store.classes.findAll(byId(takeId)),
    store.paths.findAll(byId(takeId)),
  ])
  const declarations = new Declarations()
  // Groups are numbered in order of appearance, which the numbers kept with the markers restore.
  const groups = [...markers].sort((a, b) => a.groupId - b.groupId)
  declarations.apply({
    markers: groups.map(markerOfRow),
    lanes: lanes.map(({ id, name }) => ({ id, name })),
    gauges: gauges.map(({ id, name, unit, variants }) => ({
      id,
      name,
      unit,
      variants: variants === null ? [] : (JSON.parse(variants) as string[]),
    })),
    watches: watches.map(({ id, name }) => ({ id, name })),
    classes: classes.map(({ id, name, marker }) => ({ id, name, marker })),
  })
  const paths = new PathTable()
  for (const { parent, lane, marker } of pathRows) paths.child(parent, lane, declarations.marker(marker))
  return { declarations, paths }
}

/** Where a take that was begun earlier has got to. */
export async function loadProgress(store: Store, row: TakeFields): Promise<TakeProgress> {
  return {
    ...(await loadTables(store, row.id)),
    frames: Number(row.frames),
    lastFrameStartNs: row.lastFrameStartNs === null ? -Infinity : Number(row.lastFrameStartNs),
    openJobs: null,
  }
}
