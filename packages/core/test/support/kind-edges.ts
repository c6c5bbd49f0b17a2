/** Cases on both sides of every figure of a kind of finding. */
import type { Study } from '@lapsus/core/study'
import { growthOf } from '../../src/detect/growing.ts'
import { fitScaling } from '../../src/detect/scaling.ts'
import { between, BUDGET, finds, findingsOf, line, MS, spikesAt, still, upTo, type Edge } from './edges.ts'
import { run, runs, type TestFrame } from './studies.ts'

/** Frames of 100 in which something is so. */
const inSo = (times: number, frame: number) => frame % 100 < Math.round(times)

export const allocating = (share: number, bytes: number) =>
  still(200, (frame) => ({ inside: [run('greedy', 1000, { bytes: inSo(100 * share, frame) ? bytes : 0 })] }))

const studyOf = (count: number) =>
  ({ frames: { startNs: Float64Array.from({ length: count }, (_, frame) => frame * BUDGET) } }) as Study

const grows = (values: number[]) => growthOf(studyOf(values.length), Float64Array.from(values)) !== null

/** A series over 150 frames: 30 of warm-up, then a block for each frame. */
const rising = (value: (at: number) => number) =>
  Array.from({ length: 150 }, (_, i) => value(Math.max(0, i - 30) / 119))

/** A leak of one thing a frame, and a cost beside it. */
const leaking = (count: number, costNs: (frame: number) => number) =>
  still(count, (frame) => ({ lives: { ghost: [1, 0] }, inside: [run('haunt', Math.round(costNs(frame)))] }))

const follows = (frames: TestFrame[]) => findingsOf('growth', frames)[0]!.path !== null

interface Pairs {
  /** Loads that come in turn. */
  loads?: readonly number[]
  times?: number
  /** Cost of one run, ns. */
  costNs: (load: number, i: number) => number
  load?: (frame: number) => number
}

/** `times` runs a frame, whose cost hangs on a load that goes round. */
const pairs = ({ loads = upTo(20, 100, 300), times = 60, costNs, load }: Pairs) =>
  still(900, (frame) => {
    const i = frame % loads.length
    const value = load?.(frame) ?? loads[i]!
    return { inside: runs(times, 'measure', Math.round(costNs(value, i))), gauges: { lights: value } }
  })

const COLLECT = { 'collection (minor)': { kind: 'collect' as const } }

const churning = (frames: number, born: (frame: number) => number, died: (frame: number) => number) =>
  still(frames, (frame) => ({ lives: { letter: [born(frame), died(frame)] } }))

/** Each frame has its steps, at this cost. */
const stepping = (steps: (frame: number) => number, costNs: number) =>
  still(600, (frame) => ({ steps: steps(frame), inside: runs(steps(frame), 'step', Math.round(costNs)) }))

const chores = (period: number, costNs: number, phase: (turn: number) => number = () => 0) =>
  still(Math.floor(900 / period) * period, (frame) => {
    const turn = Math.floor(frame / period)
    return {
      inside: [
        ...(frame % period === 0 ? [run('sweep', 2 * MS)] : []),
        ...(frame % period === phase(turn) ? [run('audit', Math.round(costNs))] : []),
      ],
    }
  })

/** So many blocks of 30 frames, with this work each. */
const blocks = (levels: readonly number[], count = levels.length * 30) =>
  still(count, (frame) => ({
    inside: [run('weather', Math.round(levels[Math.floor(frame / 30)] ?? levels.at(-1)!))],
  }))

const highFrom = (count: number, at: number) =>
  Array.from({ length: count }, (_, i) => (i < at ? MS : 3 * MS))

const joins = (times: number, ns: number) =>
  still(200, (frame) => ({ runs: frame % 10 === 0 && frame < 10 * times ? [run('join', ns)] : [] }))

const lateFrames = (kind: 'wait:graphics' | 'wait:refresh', count: number, times: number) => {
  const marker = kind === 'wait:graphics' ? 'gpu' : 'refresh'
  return still(count, (frame) => ({
    runs: frame % 20 === 7 && frame < 20 * times ? [run(marker, 18 * MS)] : [],
  }))
}

const held = (name: 'held-by-graphics' | 'held-by-refresh', kind: 'wait:graphics' | 'wait:refresh') => ({
  [`${name}.LEAST_SHARE`]: ((least) =>
    between(1000 * least - 1, 1000 * least, (times) =>
      finds(name, lateFrames(kind, 1000, times), { markers: { gpu: { kind: 'wait:graphics' } } }),
    )) satisfies Edge,
  [`${name}.LEAST_FRAMES`]: ((least) =>
    between(least - 1, least, (times) =>
      finds(name, lateFrames(kind, 100, times), { markers: { gpu: { kind: 'wait:graphics' } } }),
    )) satisfies Edge,
})

/** In so many of 100 frames, so many runs of this share of the budget each. */
const running = (frames: number, times: number, share: number) =>
  still(300, (frame) => ({
    inside: inSo(frames, frame) ? runs(times, 'busy', Math.round(share * BUDGET)) : [],
  }))

/** So many paths, each of which takes this share of the budget. */
const thin = (paths: number, share: number) =>
  still(60, () => ({
    inside: Array.from({ length: paths }, (_, i) => run(`small ${i}`, Math.round(share * BUDGET))),
  }))

export const KIND_EDGES: Record<string, Edge> = {
  'spike-family.LEAST_UNEXPLAINED': (least) =>
    between(least - 1, least, (times) =>
      finds('spike-family', spikesAt(1200, [100, 230, 555, 600, 1010].slice(0, times))),
    ),
  // One path of three, of which the others have as much as is left.
  'spike-family.ONE_PATH': (one) =>
    between(one - 0.01, one + 0.01, (share) =>
      finds(
        'spike-family',
        still(1200, (frame) => ({
          inside: [100, 230, 555, 600].includes(frame)
            ? [share, (1 - share) / 2, (1 - share) / 2].map((part, i) => run(`part ${i}`, part * 30 * MS))
            : [],
        })),
      ),
    ),
  'spike-family.FEW_RUNS': (few) =>
    between(few, few + 1, (times) => {
      const frames = still(1200, (frame) => ({
        inside: frame % 200 === 100 ? runs(times, 'burst', 12 * MS) : [],
      }))
      return findingsOf('spike-family', frames)[0]!.remedies.includes('share')
    }),
  'lookup-in-update.STEADY': (least) =>
    between(100 * least - 1, 100 * least, (frames) =>
      finds('lookup-in-update', running(frames, 5, 0.01), { markers: { busy: { tags: ['search'] } } }),
    ),
  'repeated-check.LEAST_SHARE': (least) =>
    between(20 * least - 1, 20 * least, (repeated) => {
      const keys = Array.from({ length: 20 }, (_, i) => (i <= Math.round(repeated) ? 1 : i + 1))
      return finds(
        'repeated-check',
        still(100, () => ({ inside: keys.map((key) => run('ask', 10_000, { key, effect: true })) })),
      )
    }),
  'polling.LEAST_RATIO': (least) =>
    between(600 / least + 1, 600 / least, (changes) =>
      finds(
        'polling',
        still(600, (frame) => ({
          inside: [run('text', 100_000)],
          watches: { tally: [1, frame < changes ? 1 : 0] },
        })),
        { markers: { text: { watches: ['tally'] } } },
      ),
    ),
  // One run of 20.
  'needless-updates.LEAST_COST': (least) =>
    between(0.99 * least, 1.01 * least, (share) =>
      finds(
        'needless-updates',
        still(100, () => ({
          inside: Array.from({ length: 20 }, (_, i) =>
            run('update', Math.round(share * BUDGET), { effect: i > 0 }),
          ),
        })),
      ),
    ),
  'needless-updates.LEAST_SHARE': (least) =>
    between(20 * least - 1, 20 * least, (needless) =>
      finds(
        'needless-updates',
        still(100, () => ({
          inside: Array.from({ length: 20 }, (_, i) =>
            run('update', 10_000, { effect: i >= Math.round(needless) }),
          ),
        })),
      ),
    ),

  // Ten frames are one block: a dip in more of them than may be is seen in its mean.
  'growth.BLOCKS': (count) =>
    between(8, 6, (dip) => {
      const frames = (count * 10) / 0.8
      const from = 0.2 * frames
      return grows(
        Array.from({ length: frames }, (_, i) => {
          const value = (100 * Math.max(0, i - from)) / (frames - from)
          return i >= from + 600 && i < from + 600 + dip ? value - 30 : value
        }),
      )
    }),
  'growth.WARM_UP': (share) =>
    between(share + 0.02, share - 0.02, (fall) =>
      grows(Array.from({ length: 1000 }, (_, i) => (i < fall * 1000 ? 500 : i / 10))),
    ),
  // Of ten values in order the chance is 8 in 100,000; with two of them changed it is 17.
  'growth.SIGNIFICANT': () =>
    between([1, 0], [0, 1], (first) =>
      grows([0, 0, ...first, 2, 3, 4, 5, 6, 7, 8, 9].map((value) => 10 * value)),
    ),
  'growth.MOST_FALL': (most) =>
    between(most + 0.02, most - 0.01, (fall) => {
      const values = rising((at) => 100 * at)
      values[90] = values[89]! - fall * 100
      return grows(values)
    }),
  'growth.LEAST_RISE': (least) => {
    const rise = (least * 100) / (1 - least / 2)
    return between(0.98 * rise, 1.02 * rise, (by) => grows(rising((at) => 100 + by * at)))
  },
  'growth.LEAST_COUNT': (least) =>
    between(0.98 * least, 1.02 * least, (by) => grows(rising((at) => by * at))),
  'growth.LATER_S': (later) => {
    const [finding] = findingsOf(
      'growth',
      leaking(600, (frame) => 1000 + 100 * frame),
    )
    // 100 ns for each, 60 a second; blocks of ten frames see nine of ten seconds.
    const rate = (finding!.comingNs - finding!.costNs) / later
    return between(0.97, 1.03, (times) => rate < times * 100 * 59)
  },
  // Beside a line of 60 steps the cost goes up and down by block, so that the two are just so much alike.
  'growth.ALIKE': (least) => {
    const deviation = Math.sqrt((60 ** 2 - 1) / 12)
    const off = deviation * Math.sqrt(1 / least ** 2 - 1)
    return between(1.06 * off, 0.94 * off, (by) =>
      follows(
        leaking(600, (frame) => {
          const block = Math.floor(frame / 10)
          return 1e6 + 10_000 * (block + (block % 2 === 0 ? by : -by))
        }),
      ),
    )
  },
  // Ten frames are one block, judged by its median: four odd ones are not seen, six are.
  'growth.COST_BLOCKS': (count) =>
    between(6, 4, (odd) =>
      follows(
        leaking(10 * count, (frame) => {
          const block = Math.floor(frame / 10)
          return 1e6 + 10_000 * block + (block % 2 === 0 && frame % 10 < odd ? 2e6 : 0)
        }),
      ),
    ),

  'all-pairs.LEAST_COST': (least) =>
    between(0.97 * least, 1.03 * least, (share) =>
      finds('all-pairs', pairs({ costNs: (load) => (share * BUDGET * load) / 200 / 60 })),
    ),
  'all-pairs.MANY': (many) =>
    between(many - 1, many, (times) => finds('all-pairs', pairs({ times, costNs: (load) => load * 200 }))),
  // The first part of the take tells only if all five loads, the usual one and four others, come after the warm-up.
  'all-pairs.WARM_UP_FRAMES': (frames) =>
    between(frames - 1, frames, (first) => {
      const load = (frame: number) =>
        frame < 150
          ? frame >= first && frame < first + 4
            ? 150 + 50 * (frame - first)
            : 100
          : frame < 300
            ? 100 + 50 * (frame % 5)
            : 100
      return finds('all-pairs', pairs({ load, costNs: (value) => value * 100 }))
    }),
  // With more and more up and down beside the line.
  'all-pairs.LEAST_EXPLAINED': (least) => {
    const costNs = (off: number) => (load: number, i: number) => 100 * (load + (i % 2 === 0 ? off : -off))
    const explained = (off: number) => fitScaling(line(upTo(20, 100, 300), costNs(off))).explained
    const steps = Array.from({ length: 200 }, (_, i) => i / 2)
    const first = steps.findIndex((off) => explained(off) < least)
    return between(steps[first]!, steps[first - 1]!, (off) =>
      finds('all-pairs', pairs({ costNs: costNs(off) })),
    )
  },
  'all-pairs.LEAST_GROWTH': (least) =>
    between(least - 0.03, least + 0.03, (exponent) => {
      const times = 3 ** exponent
      const base = (300 - 100 * times) / (times - 1)
      return finds('all-pairs', pairs({ costNs: (load) => 100 * (base + load) }))
    }),
  'all-pairs.LEAST_LOAD': (least) =>
    between(least - 0.5, least + 0.5, (most) =>
      finds('all-pairs', pairs({ loads: upTo(20, most / 3, most), costNs: (load) => load * 1000 })),
    ),
  // The square with more and more up and down in it, until less than that power is no longer ruled out.
  'all-pairs.SQUARE': (least) => {
    const costNs = (off: number) => (load: number, i: number) => 20 * load ** 2 + (i % 2 === 0 ? off : -off)
    const lowest = (off: number) => fitScaling(line(upTo(20, 100, 300), costNs(off))).exponent!.low
    const steps = Array.from({ length: 400 }, (_, i) => 2_000 * i)
    const first = steps.findIndex((off) => lowest(off) < least)
    return between(steps[first]!, steps[first - 1]!, (off) =>
      finds('all-pairs', pairs({ times: 1, costNs: costNs(off) })),
    )
  },

  'spawn-churn.LEAST_BIRTHS': (least) =>
    between(10 * least - 1, 10 * least + 1, (born) =>
      finds(
        'spawn-churn',
        churning(
          600,
          (frame) => (frame < born ? 1 : 0),
          (frame) => (frame < born ? 1 : 0),
        ),
      ),
    ),
  'spawn-churn.LEAST_DEATHS': (least) =>
    between(200 * least - 1, 200 * least, (died) =>
      finds(
        'spawn-churn',
        churning(
          600,
          (frame) => (frame < 200 ? 1 : 0),
          (frame) => (frame < Math.round(died) ? 1 : 0),
        ),
      ),
    ),
  'spawn-churn.LEAST_MATCH': (least) =>
    between(100 * least - 1, 100 * least, (made) => {
      const frames = still(600, (frame) => ({
        lives: { letter: frame % 6 === 0 ? [1, 1] : [0, 0] },
        inside: frame % 6 === 0 && frame / 6 < Math.round(made) ? [run('make', 100_000)] : [],
      }))
      return findingsOf('spawn-churn', frames)[0]!.path !== null
    }),
  'steady-allocation.STEADY': (least) =>
    between(least - 0.01, least, (share) => finds('steady-allocation', allocating(share, 90_000))),
  'steady-allocation.LEAST_BYTES': (least) =>
    between(least - 10, least + 10, (bytes) => finds('steady-allocation', allocating(1, bytes))),
  'collection-pauses.FELT': (felt) =>
    between(0.99 * felt, 1.01 * felt, (share) =>
      finds('collection-pauses', collecting(5, share), { markers: COLLECT }),
    ),
  'collection-pauses.LEAST_FELT': (least) =>
    between(least - 1, least, (times) =>
      finds('collection-pauses', collecting(times, 0.2), { markers: COLLECT }),
    ),
  'catch-up.MULTIPLIED': (most) =>
    between(most - 1, most, (steps) =>
      finds(
        'catch-up',
        stepping((frame) => (frame % 100 === 51 ? steps : 1), MS),
      ),
    ),
  // Frames are as long as their step and 4 ms of sim; two steps now and then tell the marker from what runs once a frame.
  'catch-up.NEARLY_FULL': (full) =>
    between(0.98 * full, 1.02 * full, (share) => {
      const costNs = ((600 / 606) * 4 * MS * share) / (1 - share)
      return finds(
        'catch-up',
        stepping((frame) => (frame % 100 === 51 ? 2 : 1), costNs),
      )
    }),
  'lock-step.SHORTEST_PERIOD': (shortest) =>
    between(shortest - 1, shortest, (period) => finds('lock-step', chores(period, MS))),
  'lock-step.LEAST_COST': (least) =>
    between(0.98 * least, 1.02 * least, (share) => finds('lock-step', chores(60, share * BUDGET))),
  'lock-step.COMMON_SHARE': (least) =>
    between(15 * least - 1, 15 * least, (common) =>
      finds(
        'lock-step',
        chores(60, MS, (turn) => (turn < common ? 0 : 1)),
      ),
    ),
  'shift.LEAST_BLOCK_FRAMES': (least) =>
    between(12 * least - 1, 12 * least, (count) => finds('shift', blocks(highFrom(12, 6), count))),
  'shift.MOST_BLOCKS': (most) =>
    between(30 * most + 30, 30 * most, (count) => {
      const [finding] = findingsOf('shift', blocks(highFrom(most + 1, 60), count))
      return finding!.because.includes(' of 30 frames ')
    }),
  // What is left of the rise is spread over paths that each have less of it.
  'shift.MOST_OF_IT': (most) =>
    between(most - 0.01, most + 0.01, (share) => {
      const rise = (frame: number, part: number) => Math.round(100_000 + (frame < 300 ? 0 : part * 5 * MS))
      const frames = still(600, (frame) => ({
        inside: [
          run('weather', rise(frame, share)),
          ...['a', 'b', 'c'].map((name) => run(name, rise(frame, (1 - share) / 3))),
          // Most of the game is as it was, so that the machine is not to blame.
          ...Array.from({ length: 6 }, (_, i) => run(`steady ${i}`, 200_000)),
        ],
      }))
      return findingsOf('shift', frames)[0]!.path !== null
    }),
  'shift.LEAST_BLOCKS': (least) =>
    between(least - 1, least, (count) => finds('shift', blocks(highFrom(count, count / 2)))),
  'shift.LEAST_SIDE': (least) =>
    between(20 * least - 1, 20 * least, (before) => finds('shift', blocks(highFrom(20, Math.round(before))))),
  // Ten against ten: one of those before is as high as those after; or one of those after is low, too.
  'shift.APART': () =>
    between(1, 0, (low) => {
      const levels = highFrom(20, 10)
      levels[4] = 3 * MS
      if (low === 1) levels[14] = MS
      return finds('shift', blocks(levels))
    }),
  'shift.LEAST_RISE': (least) =>
    between(0.98 * least, 1.02 * least, (share) =>
      finds('shift', blocks(highFrom(20, 10).map((ns) => (ns === MS ? MS : MS + share * BUDGET)))),
    ),
  // The steps get smaller, so that the first three of ten blocks are the side before. Seven in order come by chance
  // three times in a thousand, eight not once.
  'shift.STEADY': () =>
    between(23, 26, (count) => {
      const levels = Array.from({ length: count }, (_, i) => MS + 3 * MS * Math.sqrt(i / count))
      return findingsOf('shift', blocks(levels))[0]!.text.startsWith('The floor rises all the time')
    }),
  'job-wait.FELT': (felt) =>
    between(0.98 * felt, 1.02 * felt, (share) => finds('job-wait', joins(10, share * BUDGET), JOIN)),
  'job-wait.LEAST_FELT': (least) =>
    between(least - 1, least, (times) => finds('job-wait', joins(times, 3 * MS), JOIN)),
  ...held('held-by-graphics', 'wait:graphics'),
  ...held('held-by-refresh', 'wait:refresh'),
  'long-call.LEAST_RUN': (least) =>
    between(0.98 * least, 1.02 * least, (share) => finds('long-call', running(10, 1, share))),
  'long-call.MOST_FRAMES': (most) =>
    between(100 * most + 1, 100 * most, (frames) => finds('long-call', running(frames, 1, 0.3))),
  'long-call.LEAST_RUNS': (least) =>
    between(least - 1, least, (times) =>
      finds(
        'long-call',
        still(300, (frame) => ({
          inside: frame % 50 === 7 && frame < 50 * times ? [run('save', 6 * MS)] : [],
        })),
      ),
    ),
  'hotspot.HOT': (hot) =>
    between(0.99 * hot, 1.01 * hot, (share) => finds('hotspot', quietly(100, 1, share))),
  'hotspot.HOT_BY_CALLS': (hot) =>
    between(0.98 * hot, 1.02 * hot, (share) => finds('hotspot', quietly(100, 200, share / 200))),
  'hotspot.MANY_CALLS': (many) =>
    between(many - 1, many, (times) => finds('hotspot', quietly(100, times, 0.07 / times))),
  'hotspot.SHORT_RUN': (short) =>
    between(1.02 * short, 0.98 * short, (share) =>
      findingsOf('hotspot', quietly(100, 100, share)).some(({ text }) =>
        text.includes('None of them is slow'),
      ),
    ),
  'hotspot.OFTEN': (least) =>
    between(100 * least - 1, 100 * least, (frames) => finds('hotspot', quietly(frames, 1, 0.24))),
  // Heavy in two of five frames, and so much in the others.
  'hotspot.LIGHT': (light) =>
    between(1.02 * light, 0.98 * light, (share) =>
      finds(
        'hotspot',
        Array.from({ length: 300 }, (_, frame) => ({
          runs: [run('busy', Math.round((frame % 5 < 2 ? 0.24 : 0.1 * share) * BUDGET))],
        })),
      ),
    ),
  'interruptions.LEAST_TAKEN': (least) =>
    between(0.99 * least, 1.01 * least, (share) =>
      finds(
        'interruptions',
        still(300, (frame) => ({ takenNs: frame % 100 === 50 ? Math.round(share * BUDGET) : 0 })),
      ),
    ),
  'interruptions.LEAST_TIMES': (least) =>
    between(least - 1, least, (times) =>
      finds(
        'interruptions',
        still(600, (frame) => ({ takenNs: frame % 100 === 50 && frame < 100 * times ? 9 * MS : 0 })),
      ),
    ),
  'unmarked-time.LEAST_SHARE': (least) =>
    between(0.99 * least, 1.01 * least, (share) =>
      finds(
        'unmarked-time',
        still(100, () => ({ restNs: Math.round(share * BUDGET) })),
      ),
    ),
  'spread-thin.SMALL': (small) =>
    between(1.01 * small, 0.99 * small, (share) => finds('spread-thin', thin(25, share))),
  'spread-thin.LEAST_PATHS': (least) =>
    between(least - 1, least, (paths) => finds('spread-thin', thin(paths, 0.015))),
  'spread-thin.LEAST_SUM': (least) =>
    between(0.99, 1.01, (times) => finds('spread-thin', thin(25, (times * least) / 25))),
}

const JOIN = { markers: { join: { kind: 'wait:job' as const } } }

const collecting = (times: number, share: number) =>
  still(600, (frame) => ({
    inside:
      frame % 100 === 50 && frame < 100 * times
        ? [run('collection (minor)', Math.round(share * BUDGET))]
        : [],
  }))

/** As `running`, in frames that have nothing else: sim itself would be a hotspot. */
const quietly = (frames: number, times: number, share: number): TestFrame[] =>
  running(frames, times, share).map(({ runs: [sim, wait] }) => ({
    runs: [run('sim', 1000, { children: sim!.children }), run('refresh', wait!.selfNs + 4 * MS - 1000)],
  }))
