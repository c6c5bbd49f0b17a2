/** A budget made from a take that is good as it is. */
import { instancesOf } from '../detect/index.ts'
import { RECORDER_GROUP } from '../format/index.ts'
import { budgetNsOf, type Study } from '../study/index.ts'
import { Figures } from './check.ts'
import { LIMITED, type Budget, type Limit } from './budget-file.ts'

/** Times may be so much longer: machines differ, and one machine from day to day. */
const TIME_ROOM = 1.5
/** Counts hang on what is played alone. */
const COUNT_ROOM = 1.2
const SHARE_ROOM = 0.05
/** Paths that take less than this share of the budget are left out. */
const TRIFLE = 0.002
const MOST_PATHS = 40

const TIMES = ['p50Ms', 'p95Ms', 'p99Ms']
const SHARES = ['overShare', 'lateShare']

/** Limits a little above what the take has: times of whole frames, and what does not depend on the machine. */
export function budgetOfTake(study: Study): Budget {
  const figures = new Figures(study)
  const limit = (about: Omit<Limit, 'most'>, room: (value: number) => number): Limit[] => {
    const value = figures.of({ ...about, most: 0 })
    return typeof value === 'string' ? [] : [{ ...about, most: rounded(room(value)) }]
  }
  const counted = (value: number) => value * COUNT_ROOM
  const frames = Object.keys(LIMITED.frames)
    .filter((figure) => figure !== 'worstMs')
    .flatMap((figure) =>
      limit({ of: 'frames', name: [], lane: null, figure }, (value) =>
        TIMES.includes(figure)
          ? value * TIME_ROOM
          : SHARES.includes(figure)
            ? Math.min(1, value + SHARE_ROOM)
            : counted(value),
      ),
    )
  const least = TRIFLE * budgetNsOf(study) * study.frames.startNs.length
  const paths = [...figures.rows('path')]
    .filter(([, { key, selfNs, totalNs }]) => Math.max(selfNs, totalNs) >= least && !isRecorder(study, key))
    .sort(([, one], [, other]) => other.calls - one.calls)
    .slice(0, MOST_PATHS)
    .flatMap(([key]) => {
      const [laneName, ...name] = JSON.parse(key) as [string, ...string[]]
      const lane = laneName === figures.mainLane ? null : laneName
      return ['runsPerFrame', 'bytesPerFrame'].flatMap((figure) =>
        limit({ of: 'paths', name, lane, figure }, counted),
      )
    })
  const classes = instancesOf(study).flatMap(({ name }) =>
    limit({ of: 'classes', name: [name], lane: null, figure: 'alive' }, (value) => Math.ceil(counted(value))),
  )
  return { target: study.target, limits: [...frames, ...paths, ...classes], worseByMs: 0 }
}

/** How often the recorder sends hangs on the machine. */
const isRecorder = ({ declarations, paths }: Study, path: number): boolean =>
  declarations.marker(paths.get(path).marker).group === RECORDER_GROUP

/** Up to three digits, never below. */
function rounded(value: number): number {
  if (value === 0) return 0
  const step = 10 ** (Math.floor(Math.log10(value)) - 2)
  const up = Math.ceil(value / step - 1e-9) * step
  return Number(up.toPrecision(3))
}
