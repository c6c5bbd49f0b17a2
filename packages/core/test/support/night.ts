/** A take in which something is wrong of several kinds, for tests of what shows it. */
import { endRecord } from '@lapsus/core/format'
import type { AnyRecord } from '@lapsus/core/format'
import { recordsFrom, run, runs, type TestFrame } from './studies.ts'
import { takeRecord } from './takes.ts'

const MS = 1e6
export const NIGHT_FRAMES = 400
const CONDITIONS = { recorder: { spanNs: 1000, insideNs: 400, clockReadNs: 50, clockResolutionNs: 50 } }

/** A night with needless updates, a polling text, bursts at a gate, a load and a heap. */
const night: TestFrame[] = Array.from({ length: NIGHT_FRAMES }, (_, i) => {
  const load = 50 + Math.round(30 * Math.sin(i / 20))
  return {
    runs: [
      run('sim', 2 * MS, {
        children: [
          ...runs(20, 'npc', 50_000, { effect: i % 4 === 0, bytes: 2_000 }),
          run('text', 500_000),
          run('crowd', load * 20_000),
          ...(i % 100 === 60 ? runs(30, 'search', 0.6 * MS) : []),
        ],
      }),
      run('join', i % 10 === 0 ? 2 * MS : 0, { key: 1 }),
      run('refresh', 8 * MS),
    ],
    gauges: { load, heap: 1e6 + (i % 50) * 40_000 },
    watches: { tally: [1, i % 40 === 0 ? 1 : 0] },
    updaters: { npcs: [20, 20, 10] },
    lives: { imp: [i % 50 === 0 ? 1 : 0, 0] },
    moments: i % 100 === 60 ? ['gate'] : [],
    steps: 2,
  }
})

/** All records of the night. */
export const nightRecords = (take: string): AnyRecord[] => {
  const following = recordsFrom(night, {
    markers: {
      refresh: { kind: 'wait:refresh' },
      join: { kind: 'wait:job' },
      text: { watches: ['tally'], group: 'board' },
    },
    classes: { npcs: 'npc' },
  })
  return [takeRecord({ take, conditions: CONDITIONS }), ...following, endRecord(following.length + 1, 0)]
}
