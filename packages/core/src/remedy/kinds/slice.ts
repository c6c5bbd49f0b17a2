import { mean, sum } from '../../stats/index.ts'
import { amount, ms, plural, three } from '../../words/index.ts'
import { number, numberOf } from '../input.ts'
import { HEADROOM, largestOf, type Picture } from '../picture.ts'
import { runQueue } from '../queue.ts'
import { outcome, Refusal, type Remedy } from '../remedy.ts'
import { largest } from '../shares.ts'
import type { Site } from '../site.ts'

/** Of what the frames leave free, a slice should leave something for others. */
const USED = 0.5

/** Done piece by piece, so much a frame. */
export const remedy: Remedy = {
  kind: 'slice',
  order: 6,
  words: 'slice over frames',
  about: 'put into a queue, of which so much is done in each frame',
  price: 'frames until it is done',
  effort: 'medium',
  makes:
    'a queue: at most `budget` a frame, in whole `piece`s, at least one; `cost` in each frame with any; first in, first out',
  suggests:
    'budget: half of what all but one frame of twenty leave, at least 1.5 times what comes in; piece: the mean run of what takes most of it',
  limits: { USED },
  inputs(site) {
    site.demandWork()
    const tree = site.treeNs()
    const { typical, p95 } = site.headroomNs()
    const arrivalNs = mean(tree)
    const roomNs = p95 > 0 ? p95 : Math.max(0, typical)
    const wished = Math.max(arrivalNs * 1.5, roomNs * USED, 1_000)
    return [
      number('budget', {
        words: 'at most a frame',
        unit: 'ms',
        about:
          `typical frames leave ${ms(typical / 1e6)} beside it, all but one of twenty ${ms(p95 / 1e6)}; ` +
          `${ms(arrivalNs / 1e6)} a frame come in`,
        origin: 'measured',
        suggested: Math.min(wished, Math.max(1_000, largest(tree))) / 1e6,
        least: 0.000001,
        most: 1_000,
      }),
      number('cost', {
        words: 'cost of one slice',
        unit: 'µs',
        about: 'time to take up the work again and lay it down, in each frame with any',
        origin: 'assumed',
        suggested: 5,
        most: 100_000,
      }),
      number('piece', {
        words: 'smallest piece',
        unit: 'ms',
        about: 'what cannot be divided: at least one is done in a frame; 0 where anything can be',
        origin: 'measured',
        suggested: pieceNs(site) / 1e6,
        most: 10_000,
      }),
    ]
  },
  apply(site, values) {
    const budgetNs = numberOf(values, 'budget') * 1e6
    const costNs = numberOf(values, 'cost') * 1000
    const tree = site.treeNs()
    const { typical } = site.headroomNs()
    const arrivalNs = mean(tree)
    if (budgetNs < arrivalNs) {
      throw new Refusal(
        `a slice of ${ms(budgetNs / 1e6)} is less than comes in (${ms(arrivalNs / 1e6)} a frame): it would never be done`,
      )
    }
    if (budgetNs > typical && budgetNs < largest(tree)) {
      throw new Refusal(
        `a slice of ${ms(budgetNs / 1e6)} does not fit: typical frames leave ${ms(Math.max(0, typical) / 1e6)}`,
      )
    }
    const queue = runQueue(tree, budgetNs, numberOf(values, 'piece') * 1e6, site.base.slowness)
    const keep = site.filled(1)
    const put = site.filled(0)
    const extraNs = site.filled(0)
    for (let frame = 0; frame < site.count; frame++) {
      const [came, done] = [tree[frame]!, queue.served[frame]!]
      if (came > done) keep[frame] = done / came
      else put[frame] = done - came
      if (done > 0) extraNs[frame] = costNs
    }
    const latency = latencyOf(queue.waits, tree)
    const never = queue.waits.filter(({ frames }) => frames < 0).length
    return outcome([{ path: site.path, keep, put, extraNs, keepBytes: site.filled(1) }], {
      price: [
        `done after ${amount(Number(latency.mean.toFixed(1)))} frames on average, ${plural(latency.worst, 'frame')} at worst (${ms(latency.worst * site.frameMs)})`,
        ...(never > 0 ? [`${plural(never, 'burst')} not done when the take ends`] : []),
      ],
      notes: [`backlog at most ${ms(largest(queue.backlog) / 1e6)}; ${three(sum(tree) / 1e6)} ms in all`],
      latencyFrames: latency,
      picture: backlogAround(inMs(tree), inMs(queue.served), inMs(queue.backlog), queue.waits),
    })
  },
}

/** Of a millisecond of work: how many frames it waits. */
function latencyOf(waits: readonly { frame: number; frames: number }[], arrivals: Float64Array) {
  let weighted = 0
  let all = 0
  let worst = 0
  for (const { frame, frames } of waits) {
    if (frames < 0) continue
    weighted += frames * arrivals[frame]!
    all += arrivals[frame]!
    worst = Math.max(worst, frames)
  }
  return { mean: all > 0 ? weighted / all : 0, worst }
}

const inMs = (ns: Float64Array) => ns.map((value) => value / 1e6)

/** The mean run of what takes most of it, where that runs several times in a frame; 0 where nothing does. */
function pieceNs(site: Site): number {
  const { base, replay } = site
  const total = (id: number) => sum(replay.treeNs(id))
  const children = base.inside(site.path).filter((id) => base.study.paths.get(id).parent === site.path)
  const heaviest = children.reduce<number | null>((a, b) => (a === null || total(b) > total(a) ? b : a), null)
  for (const id of [heaviest, site.path]) {
    if (id === null) continue
    const { calls } = replay.columns(id)
    const runs = sum(calls)
    if (runs > calls.reduce((frames, here) => frames + (here > 0 ? 1 : 0), 0)) return total(id) / runs
  }
  return 0
}

/** Frames shown on either side of the burst that waits longest, as a share of what it waits. */
const AROUND = 0.5
const FEWEST_SHOWN = 60

/** The burst that waits longest: what comes in, what is done of it, and what waits, ms by frame. */
export function backlogAround(
  arrived: Float64Array,
  served: Float64Array,
  backlog: Float64Array,
  waits: readonly { frame: number; frames: number }[],
): Picture {
  const longest = waits.reduce((a, b) => (b.frames > a.frames ? b : a), { frame: 0, frames: 0 })
  const margin = Math.max(longest.frames * AROUND, (FEWEST_SHOWN - longest.frames) / 2)
  const from = Math.max(0, Math.floor(longest.frame - margin))
  const to = Math.min(arrived.length, Math.ceil(longest.frame + longest.frames + margin))
  const cut = (values: Float64Array) => values.slice(from, to)
  const most = largestOf(cut(arrived), cut(backlog))
  return {
    words: 'Work that comes in, is done, and waits',
    foot: `frames ${from} to ${to - 1}, around what waits longest: done ${plural(longest.frames, 'frame')} after it came in`,
    legend: [
      { words: 'comes in', tone: 'ink', isLine: true },
      { words: 'done', tone: 'work' },
      { words: 'waits', tone: 'wait' },
    ],
    panels: [
      {
        form: 'curves',
        most: most * HEADROOM,
        curves: [
          { values: cut(backlog), tone: 'wait', as: 'area' },
          { values: cut(served), tone: 'work', as: 'area' },
          { values: cut(arrived), tone: 'ink', as: 'line' },
        ],
        labels: [
          { at: most, words: ms(most) },
          { at: 0, words: '0' },
        ],
      },
    ],
  }
}
