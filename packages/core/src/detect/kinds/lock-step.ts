import { NO_PATH } from '../../take/index.ts'
import { median } from '../../stats/index.ts'
import type { PathCourse } from '../../study/index.ts'
import type { Evidence } from '../gather-evidence.ts'
import { costsOf, worstFrames, type Detector, type Kind, type Finding } from '../finding.ts'
import { periodOf, type Period } from '../periodic.ts'
import { amount, msOf, overAll, plural, three, part } from '../sentences.ts'

/** What comes more often than this is part of every frame. */
const SHORTEST_PERIOD = 8
/** Each must cost this share of the budget when it runs, or parting them gains nothing. */
const LEAST_COST = 0.01
const COMMON_SHARE = 0.8

interface Periodic {
  course: PathCourse
  period: Period
  costNs: number
}

/** Periodic work that falls into the same frames, though it could fall into others. */
const lockStep: Detector = (evidence) => {
  const { budgetNs, study } = evidence
  const periodic = evidence.work.flatMap(({ course }): Periodic[] => {
    if (course.frame.length > evidence.count / SHORTEST_PERIOD) return []
    const period = periodOf(course)
    if (period === null || period.frames < SHORTEST_PERIOD) return []
    // Of all frames in which it runs: those in which two meet may all be spikes.
    const costNs = median(course.totalNs)
    return costNs >= LEAST_COST * budgetNs ? [{ course, period, costNs }] : []
  })
  // Only the outermost: what runs inside it falls into its frames by nature, and is the same work.
  const outermost = periodic.filter(
    ({ course }) =>
      !study.paths
        .chain(course.path)
        .slice(0, -1)
        .some((above) => periodic.some((one) => one.course.path === above)),
  )
  return outermost.flatMap((one, i) =>
    outermost.slice(i + 1).flatMap((other) => pairOf(evidence, one, other)),
  )
}

function pairOf(evidence: Evidence, one: Periodic, other: Periodic): Finding[] {
  const common = commonFrames(one.course, other.course)
  const rarer = Math.min(one.course.frame.length, other.course.frame.length)
  if (common.length < COMMON_SHARE * rarer) return []
  if (belongTogether(evidence, one.course, other.course)) return []
  const [larger, smaller] = one.costNs >= other.costNs ? [one, other] : [other, one]
  const nameOf = ({ course }: Periodic) => evidence.names(course.path).at(-1)!
  const { workNs } = evidence.study.frames
  return [
    {
      kind: 'lock-step',
      path: larger.course.path,
      text:
        `${nameOf(larger)} (every ${amount(larger.period.frames)} frames, ${msOf(larger.costNs)}) and ${nameOf(smaller)} ` +
        `(every ${amount(smaller.period.frames)}, ${msOf(smaller.costNs)}) fall into the same frames, ${plural(common.length, 'time')} of ${amount(rarer)}: ` +
        `${msOf(larger.costNs + smaller.costNs)} in these. Parted, no frame would carry more than ${msOf(larger.costNs)} of it. ` +
        overAll(evidence, larger.costNs + smaller.costNs, common.length),
      ...costsOf(evidence, {
        sumNs: (larger.costNs + smaller.costNs) * common.length,
        strikes: common.length,
        recoverableNs: smaller.costNs * common.length,
      }),
      confidence: 'high',
      because: `${plural(common.length, 'frame')} hold both; by chance it would be ${three((one.course.frame.length * other.course.frame.length) / evidence.count)}`,
      frames: worstFrames(
        common,
        common.map((frame) => workNs[frame]!),
      ),
      remedies: ['stagger', 'timer', 'slice'],
      view: 'page',
      subject: nameOf(smaller),
      load: null,
    },
  ]
}

function commonFrames(a: PathCourse, b: PathCourse): number[] {
  const others = new Set(b.frame)
  return [...a.frame].filter((frame) => others.has(frame))
}

/** Parts of one thing: something around both runs no more often than they do. */
function belongTogether({ study }: Evidence, a: PathCourse, b: PathCourse): boolean {
  const around = new Set(study.paths.chain(a.path))
  for (let at = study.paths.get(b.path).parent; at !== NO_PATH; at = study.paths.get(at).parent) {
    if (!around.has(at)) continue
    return study.courses.get(at)!.frame.length < 2 * Math.max(a.frame.length, b.frame.length)
  }
  return false
}

export const kind: Kind = {
  name: 'lock-step',
  order: 12,
  words: 'chores in the same frame',
  found: `two periodic paths (every ${SHORTEST_PERIOD} frames or more, each ${part(LEAST_COST)} of the budget) share ${part(COMMON_SHARE)} of the frames of the rarer, and are no parts of one thing`,
  cost: 'the smaller can be got back',
  claims: true,
  limits: { SHORTEST_PERIOD, LEAST_COST, COMMON_SHARE },
  detect: lockStep,
}
