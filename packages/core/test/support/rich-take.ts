import { endRecord, JOB_BEGUN, JOB_DISPATCHED, JOB_ENDED, type AnyRecord } from '@lapsus/core/format'
import { chunkRecord, declareRecord, node, takeRecord } from './takes.ts'

const MS = 1_000_000

/** A take with something of everything that the format can say. */
export function richTake(): AnyRecord[] {
  const declare = declareRecord(
    1,
    [{ name: 'sim' }, { name: 'join', kind: 'wait:job' }, { name: 'job' }],
    ['main', 'worker'],
  )
  const at = { file: 'src/Lärm.ts', line: 42, source: { from: 41, lines: ['', '  <b>search()</b> // 🌙'] } }
  declare.markers[0] = { ...declare.markers[0]!, tags: ['search'], watches: [0], at }
  declare.classes[0] = { ...declare.classes[0]!, marker: 0 }
  const chunk = chunkRecord(
    2,
    [
      { lanes: [[node(0, 2 * MS, [node(0, MS)]), node(1, MS)], [node(2, MS)]], restNs: 5 },
      { lanes: [[node(0, 3 * MS)]], restNs: 0 },
    ],
    700,
  )
  chunk.lanes[0]!.effect = Uint8Array.of(2, 1, 0, 1)
  chunk.lanes[0]!.bytes = Float64Array.of(5000, 400, -1, 0)
  chunk.lanes[0]!.key = Uint32Array.of(0, 9, 77, 0)
  return [
    takeRecord({
      conditions: {
        mode: 'bytes',
        recorder: {
          spanNs: 90,
          clockReadNs: 30,
          clockResolutionNs: 60,
          insideNs: 40,
          heapReadNs: 300,
          heapReadBytes: 16,
        },
      },
    }),
    declare,
    {
      ...chunk,
      gauges: [{ gauge: 0, frame: Uint32Array.of(0, 1), value: Float64Array.of(1.5, -2) }],
      watches: [{ watch: 0, frame: Uint32Array.of(1), looks: Uint32Array.of(4), changes: Uint32Array.of(1) }],
      lives: [
        {
          class: 0,
          frame: Uint32Array.of(0),
          born: Uint32Array.of(3),
          died: Uint32Array.of(2),
          bytes: Float64Array.of(480),
        },
      ],
      updaters: [
        {
          class: 0,
          frame: Uint32Array.of(0),
          instances: Uint32Array.of(10),
          enabled: Uint32Array.of(8),
          unseen: Uint32Array.of(1),
          far: Uint32Array.of(2),
          asleep: Uint32Array.of(3),
          everyMs: Float64Array.of(16.5),
        },
      ],
      jobs: {
        job: Uint32Array.of(77, 77, 77),
        event: Uint8Array.of(JOB_DISPATCHED, JOB_BEGUN, JOB_ENDED),
        lane: Uint32Array.of(0, 1, 1),
        marker: Uint32Array.of(2, 2, 2),
        atNs: Float64Array.of(800, 900, 1_000_900),
      },
      moments: [{ name: 'bell', atNs: 2 * MS, data: { shift: 3, first: true } }],
      stretch: { cause: 'frame over 2 ms', at: '2026-01-02T03:04:06.000Z' },
      dropped: 2,
      repaired: 1,
    },
    endRecord(3, 1),
  ]
}
