import { Declarations, PathTable, type TakeProgress } from '@lapsus/core/take'
import type { MarkerKind } from '@lapsus/core/format'
import {
  ClassRow,
  GaugeRow,
  LaneRow,
  MarkerRow,
  PathRow,
  WatchRow,
  type TakeRow,
} from '../database/models.ts'

const byId = (takeId: string) => ({
  where: { takeId },
  order: [['id', 'ASC']] as [string, string][],
  raw: true,
})

/** What a take has declared, and its paths. */
export async function loadTables(takeId: string): Promise<{ declarations: Declarations; paths: PathTable }> {
  const [markers, lanes, gauges, watches, classes, pathRows] = await Promise.all([
    MarkerRow.findAll(byId(takeId)),
    LaneRow.findAll(byId(takeId)),
    GaugeRow.findAll(byId(takeId)),
    WatchRow.findAll(byId(takeId)),
    ClassRow.findAll(byId(takeId)),
    PathRow.findAll(byId(takeId)),
  ])
  const declarations = new Declarations()
  // Groups are numbered in order of appearance, which the numbers kept with the markers restore.
  const groups = [...markers].sort((a, b) => a.groupId - b.groupId)
  declarations.apply({
    markers: groups.map(({ id, name, markerGroup, kind, tags, watches }) => ({
      id,
      name,
      group: markerGroup,
      kind: kind as MarkerKind,
      tags: tags === null ? [] : (JSON.parse(tags) as string[]),
      watches: watches === null ? [] : (JSON.parse(watches) as number[]),
    })),
    lanes: lanes.map(({ id, name }) => ({ id, name })),
    gauges: gauges.map(({ id, name, unit }) => ({ id, name, unit })),
    watches: watches.map(({ id, name }) => ({ id, name })),
    classes: classes.map(({ id, name, marker }) => ({ id, name, marker })),
  })
  const paths = new PathTable()
  for (const { parent, lane, marker } of pathRows) paths.child(parent, lane, declarations.marker(marker))
  return { declarations, paths }
}

/** Where a take that was begun earlier has got to. */
export async function loadProgress(row: TakeRow): Promise<TakeProgress> {
  return {
    ...(await loadTables(row.id)),
    frames: Number(row.frames),
    lastFrameStartNs: row.lastFrameStartNs === null ? -Infinity : Number(row.lastFrameStartNs),
    openJobs: null,
  }
}
