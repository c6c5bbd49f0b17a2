/** Jobs on their lanes, and the join at which the main lane needs them. */
import { ms, plural } from '../words/index.ts'
import { HEADROOM, type Picture } from './picture.ts'
import type { Shift } from './schedule.ts'

/** Times in ns since the hand-over. */
interface Joined {
  lanes: string[]
  /** What the lanes do besides. */
  busyNs: number[]
  shifts: Shift[]
  /** When the main lane comes to the join, and when it may go on. */
  joinNs: number
  endNs: number
}

/** One frame's jobs on their lanes, time running down, and the join across. */
export function lanesWithJoin({ lanes, busyNs, shifts, joinNs, endNs }: Joined): Picture {
  const waits = endNs > joinNs
  return {
    words: 'Jobs on their lanes in the frame with the most of them, with the join',
    foot:
      `${plural(shifts.length, 'job')}, done after ${ms(endNs / 1e6)}; ` +
      (waits ? `the main lane waits ${ms((endNs - joinNs) / 1e6)}` : 'the main lane does not wait'),
    legend: [],
    panels: [
      {
        form: 'lanes',
        most: Math.max(joinNs, endNs) * HEADROOM || 1,
        lanes: [
          {
            name: 'main',
            blocks: [
              { from: 0, to: joinNs, tone: 'work-soft' },
              ...(waits ? [{ from: joinNs, to: endNs, tone: 'wait' as const }] : []),
            ],
          },
          ...lanes.map((name, lane) => ({
            name,
            blocks: [
              ...(busyNs[lane]! > 0 ? [{ from: 0, to: busyNs[lane]!, tone: 'wait' as const }] : []),
              ...shifts
                .filter((shift) => shift.lane === lane)
                .map(({ fromNs, toNs }) => ({ from: fromNs, to: toNs, tone: 'work' as const })),
            ],
          })),
        ],
        line: { at: joinNs, words: 'join' },
        labels: waits ? [{ at: endNs, words: ms(endNs / 1e6) }] : [],
      },
    ],
  }
}
