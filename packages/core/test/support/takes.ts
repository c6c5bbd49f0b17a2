/** Takes made for tests: frames described as trees of spans. */
import fc from 'fast-check'
import {
  emptyChunk,
  encodeRecord,
  FRAME_COLUMNS,
  newColumns,
  type AnyRecord,
  type ChunkRecord,
  type DeclareRecord,
  type LaneSpans,
  type MarkerKind,
  type TakeRecord,
} from '@lapsus/core/format'

/** A span: marker, own time before its children begin (ns), children. */
export interface Node {
  marker: number
  selfNs: number
  children: Node[]
}

export interface FrameSpec {
  /** Outermost spans of each lane, by lane number. */
  lanes: Node[][]
  /** Time outside any span, ns. */
  restNs: number
}

export const node = (marker: number, selfNs: number, children: Node[] = []): Node => ({
  marker,
  selfNs,
  children,
})
export const totalOf = (span: Node): number =>
  span.selfNs + span.children.reduce((sum, child) => sum + totalOf(child), 0)

export const takeRecord = (fields: Partial<TakeRecord> = {}): TakeRecord => ({
  record: 'take',
  lapsus: 1,
  take: 'test-take-1',
  game: 'Test Game',
  target: 60,
  started: '2026-01-02T03:04:05.000Z',
  conditions: { device: 'bench', seed: 7 },
  ...fields,
})

export interface TestMarker {
  name: string
  group?: string
  kind?: MarkerKind
}

export const declareRecord = (sequence: number, markers: TestMarker[], lanes = ['main']): DeclareRecord => ({
  record: 'declare',
  sequence,
  markers: markers.map(({ name, group = '', kind = 'work' }, id) => ({
    id,
    name,
    group,
    kind,
    tags: [],
    at: null,
    watches: [],
  })),
  lanes: lanes.map((name, id) => ({ id, name })),
  gauges: [{ id: 0, name: 'letters', unit: '', variants: [] }],
  watches: [{ id: 0, name: 'tally' }],
  classes: [{ id: 0, name: 'letter', marker: null }],
})

/** A chunk of the given frames, laid end to end from `startNs`. */
export function chunkRecord(sequence: number, frames: FrameSpec[], startNs = 0): ChunkRecord {
  const laneCount = Math.max(1, ...frames.map((frame) => frame.lanes.length))
  const rows = Array.from({ length: laneCount }, () => ({
    count: [] as number[],
    marker: [] as number[],
    start: [] as number[],
    duration: [] as number[],
    depth: [] as number[],
  }))
  const starts: number[] = []
  const durations: number[] = []
  let at = startNs
  for (const frame of frames) {
    starts.push(at)
    rows.forEach((row, lane) => {
      const before = row.marker.length
      let time = at
      const lay = (span: Node, depth: number) => {
        row.marker.push(span.marker)
        row.start.push(time)
        row.duration.push(totalOf(span))
        row.depth.push(depth)
        time += span.selfNs
        for (const child of span.children) lay(child, depth + 1)
      }
      for (const span of frame.lanes[lane] ?? []) lay(span, 0)
      row.count.push(row.marker.length - before)
    })
    const main = (frame.lanes[0] ?? []).reduce((sum, span) => sum + totalOf(span), 0)
    durations.push(main + frame.restNs)
    at += main + frame.restNs
  }
  return {
    ...emptyChunk(sequence),
    frameStartNs: Float64Array.from(starts),
    frameDurationNs: Float64Array.from(durations),
    ...newColumns(FRAME_COLUMNS, frames.length),
    lanes: rows.map((row, lane): LaneSpans => ({
      lane,
      count: Uint32Array.from(row.count),
      marker: Uint32Array.from(row.marker),
      startNs: Float64Array.from(row.start),
      durationNs: Float64Array.from(row.duration),
      depth: Uint8Array.from(row.depth),
    })),
  }
}

export const bytesOf = (records: AnyRecord[]): Uint8Array => Buffer.concat(records.map(encodeRecord))

/** Random frames over `markers` markers and up to two lanes. */
export function arbitraryFrames(markers: number, most = 12): fc.Arbitrary<FrameSpec[]> {
  const { tree } = fc.letrec<{ tree: Node }>((tie) => ({
    tree: fc.record({
      marker: fc.nat(markers - 1),
      selfNs: fc.nat(3_000_000),
      children: fc.oneof({ maxDepth: 4 }, fc.constant<Node[]>([]), fc.array(tie('tree'), { maxLength: 3 })),
    }),
  }))
  const lane = fc.array(tree, { maxLength: 4 })
  return fc.array(
    fc.record({ lanes: fc.array(lane, { minLength: 1, maxLength: 2 }), restNs: fc.nat(1_000_000) }),
    {
      maxLength: most,
    },
  )
}
