import { median } from '../../stats/index.ts'
import { ms, three } from '../../words/index.ts'
import { choice, number, numberOf, settle } from '../input.ts'
import { outcome, type Remedy } from '../remedy.ts'
import type { Site } from '../site.ts'

/** So old what is shown may be where nobody says otherwise, ms: what most people do not notice. */
const ALLOWED_MS = 100

/** Runs every so many frames, or ms, instead of whenever it can. */
export const remedy: Remedy = {
  kind: 'timer',
  order: 3,
  words: 'timer',
  about: 'runs every so often instead of in every frame',
  price: 'staleness',
  effort: 'small',
  makes:
    'runs only when due: every so many frames or ms from `phase` on; what is due in a frame without a run waits for the next; `grows` of what was left out is made up for; `smoothing` between',
  suggests:
    'interval: time between changes of what it watches (or between runs with effect), at most what it may be old, `allowed`',
  limits: { ALLOWED_MS },
  inputs: (site, set) => {
    site.demandWork()
    const changeMs = site.base.once(`changes ${site.path}`, () => changeGapMs(site))
    const framesIn = (ms: number) => Math.max(1, Math.floor(ms / Math.max(1e-6, site.frameMs)))
    const allowed = number('allowed', {
      words: 'may be so old',
      unit: 'ms',
      about: 'age of what it shows that nobody minds; the interval that is suggested keeps to it',
      origin: 'assumed',
      suggested: ALLOWED_MS,
      least: 1,
      most: 60_000,
    })
    const allowedMs = numberOf(settle([allowed], set).values, 'allowed')
    return [
      allowed,
      number('every', {
        words: 'runs every',
        about:
          changeMs === null
            ? `as often as keeps what it shows younger than ${ms(allowedMs)}`
            : `what it is about changes every ${ms(changeMs)}; what it shows should be younger than ${ms(allowedMs)}`,
        origin: changeMs === null ? 'assumed' : 'measured',
        suggested: framesIn(Math.min(allowedMs, changeMs ?? allowedMs)),
        least: 1,
        most: 60_000,
        others: changeMs === null ? [] : [{ value: framesIn(changeMs), words: 'as often as it changes' }],
      }),
      choice('unit', {
        words: 'counted in',
        about: 'frames, or time: with time, slow frames do not make it older',
        origin: 'assumed',
        choices: [
          { id: 'frames', words: 'frames' },
          { id: 'ms', words: 'ms' },
        ],
        suggested: 'frames',
      }),
      number('phase', {
        words: 'first run in frame',
        about: 'to part it from other timers of the same interval',
        origin: 'assumed',
        suggested: 0,
        most: 60_000,
        whole: true,
      }),
      number('grows', {
        words: 'work that waits and adds up',
        unit: '%',
        about: '0: a run costs what it always cost; 100: it has to make up for all that was left out',
        origin: 'assumed',
        suggested: 0,
        most: 100,
      }),
      number('smoothing', {
        words: 'cost of smoothing between',
        unit: 'µs',
        about: 'in each frame without a run, for moving what is shown along',
        origin: 'assumed',
        suggested: 0,
        most: 100_000,
      }),
      number('speed', {
        words: 'speed of what it moves',
        unit: 'a second',
        about: 'in units of the game: gives how far things move unseen between runs; 0 where nothing moves',
        origin: 'assumed',
        suggested: 0,
      }),
    ]
  },
  apply(site, values) {
    const tree = site.treeNs()
    const runs = runFrames(site, tree, values)
    const grows = numberOf(values, 'grows') / 100
    const smoothingNs = numberOf(values, 'smoothing') * 1000
    const speed = numberOf(values, 'speed')
    const keep = site.filled(0)
    const put = site.filled(0)
    const extraNs = site.filled(0)
    const { startNs } = site
    let lastNs = startNs[0] ?? 0
    let owedNs = 0
    const ages = { sum: 0, count: 0, worst: 0 }
    for (let frame = 0; frame < site.count; frame++) {
      if (tree[frame] === 0) {
        keep[frame] = 1
        continue
      }
      if (runs[frame] === 1) {
        keep[frame] = 1
        put[frame] = owedNs * grows
        owedNs = 0
        lastNs = startNs[frame]!
      } else {
        owedNs += tree[frame]!
        extraNs[frame] = smoothingNs
      }
      const age = (startNs[frame]! - lastNs) / 1e6
      ages.sum += age
      ages.count++
      ages.worst = Math.max(ages.worst, age)
    }
    const worst = ages.worst
    const mean = ages.count === 0 ? 0 : ages.sum / ages.count
    const unseen = speed > 0 ? [`things move up to ${three((speed * worst) / 1000)} unseen`] : []
    const bytes = grows > 0 ? { keepBytes: keep.map((is) => Math.min(1, is + grows)) } : {}
    const keepNeedless = stillNeedless(site, tree, keep)
    return outcome([{ path: site.path, keep, put, extraNs, keepNeedless, ...bytes }], {
      price: [
        worst === 0 ? 'none: it runs as often as before' : `up to ${ms(worst)} old, ${ms(mean)} on average`,
        ...unseen,
      ],
      stalenessMs: { mean, worst },
    })
  },
}

/**
 * Of the needless time of a run that is left, the share that is needless still: what changed in the frames that were left
 * out waits for it. As if what runs in different frames changed independently.
 */
function stillNeedless(site: Site, tree: Float64Array, keep: Float64Array): Float64Array {
  const { needlessNs } = site.columns
  const still = site.filled(1)
  /** Share of the runs of which nothing changed since the last that was kept. */
  let unchanged = 1
  for (let frame = 0; frame < site.count; frame++) {
    if (tree[frame] === 0) continue
    const needless = Math.min(1, needlessNs[frame]! / tree[frame]!)
    if (keep[frame] === 1) {
      still[frame] = unchanged
      unchanged = 1
    } else {
      still[frame] = 0
      unchanged *= needless
    }
  }
  return still
}

/** 1 where it is due and would have run; what is due in a frame without a run waits for the next. */
function runFrames(site: Site, tree: Float64Array, values: Parameters<Remedy['apply']>[1]): Uint8Array {
  const every = numberOf(values, 'every')
  const phase = numberOf(values, 'phase')
  const inMs = values['unit'] === 'ms'
  const runs = new Uint8Array(site.count)
  const { startNs } = site
  const firstNs = startNs[Math.min(phase, site.count - 1)] ?? 0
  // Due times lie on a grid, so that lateness does not add up; a frame that begins a hair early counts.
  let due = inMs ? firstNs : phase
  let isDue = false
  for (let frame = 0; frame < site.count; frame++) {
    const now = inMs ? startNs[frame]! : frame
    const step = inMs ? every * 1e6 : every
    while (now >= due - 1e-6) {
      isDue = true
      due += step
    }
    if (isDue && tree[frame]! > 0) {
      runs[frame] = 1
      isDue = false
    }
  }
  return runs
}

/** Time between changes of what it watches, or between runs that changed something; null where nobody knows. */
function changeGapMs(site: Site): number | null {
  const { study } = site.base
  const changed = new Set<number>()
  for (const id of site.marker.watches) {
    study.watches.get(id)?.changes.forEach((times, frame) => times > 0 && changed.add(frame))
  }
  const course = study.courses.get(site.path)
  if (changed.size === 0 && course?.details !== null && course !== undefined && site.saysEffect()) {
    const { said, needless } = course.details
    course.frame.forEach((frame, cell) => said[cell]! > needless[cell]! && changed.add(frame))
  }
  const frames = [...changed].sort((a, b) => a - b)
  if (frames.length < 2) return null
  const gaps = frames.slice(1).map((frame, i) => (site.startNs[frame]! - site.startNs[frames[i]!]!) / 1e6)
  return median(gaps)
}
