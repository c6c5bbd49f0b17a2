import { mean, median, sum } from '../../stats/index.ts'
import { amount, bytes as bytesWords, ms, percent, plural, three } from '../../words/index.ts'
import type { Change } from '../change.ts'
import { choice, number, numberOf } from '../input.ts'
import { BEYOND, mostAlive, poolSizes, runPool, type Beyond, type Lives } from '../live-curve.ts'
import { HEADROOM, largestOf, type Picture } from '../picture.ts'
import { outcome, Refusal, type Remedy } from '../remedy.ts'
import type { Site } from '../site.ts'

const BEYOND_WORDS: Record<Beyond, string> = {
  grow: 'the pool grows',
  make: 'one is made, and thrown away',
  refuse: 'it is refused',
  oldest: 'the oldest is taken',
}

/** Instances are kept when they die, and taken when they are born. */
export const remedy: Remedy = {
  kind: 'pool',
  order: 1,
  words: 'pool',
  about: 'what dies is kept, and taken again when another is born',
  price: 'memory of the idle part, set-up time at load, frames in which it grows',
  effort: 'medium',
  makes:
    'births served from the pool save `part` of `making` each and cost `take`; beyond the size the pool `grow`s by `growBy` in that frame, or one is `make`d and thrown away, births are `refuse`d, or the `oldest` is taken',
  suggests:
    'size: the most alive at once (never grows), the smallest that grows in at most 1 frame of 1,000, the smallest that serves 90 % of what one without limits would; `making`: S per birth; memory of one: recorded bytes, else what the game says',
  inputs(site) {
    const classes = classesOf(site)
    const suggested = likeliest(site, classes)
    const lives = livesOf(site, suggested.id)
    const sizes = site.base.once(`pool sizes ${suggested.id}`, () => poolSizes(lives))
    const born = sum(lives.born)
    const { each, told } = bytesEach(site, suggested.id)
    return [
      choice('class', {
        words: 'what is pooled',
        about: 'the class whose births and deaths are counted',
        origin: 'measured',
        choices: classes.map(({ id, name }) => ({ id: String(id), words: name })),
        suggested: String(suggested.id),
      }),
      number('size', {
        words: 'size',
        about: 'instances made at load; from how many were alive at once',
        origin: 'measured',
        suggested: sizes.never,
        most: Math.max(1_000, sizes.never * 10),
        whole: true,
        others: [
          { value: sizes.never, words: 'never grows' },
          { value: sizes.rarely, words: 'grows in 1 frame of 1,000' },
          { value: sizes.pays, words: 'smallest that pays' },
        ],
      }),
      choice('beyond', {
        words: 'when it is empty',
        about: 'what is done when more are wanted than there are',
        origin: 'assumed',
        choices: BEYOND.map((id) => ({ id, words: BEYOND_WORDS[id] })),
        suggested: 'grow',
      }),
      number('growBy', {
        words: 'grows by',
        about: 'instances made at once when the pool grows',
        origin: 'assumed',
        suggested: Math.max(1, Math.ceil(sizes.never / 8)),
        least: 1,
        most: 100_000,
        whole: true,
      }),
      number('making', {
        words: 'making one',
        unit: 'µs',
        about: 'the path’s own time for each birth: that of making one, and of setting it up',
        origin: site.pathOrNone === null ? 'assumed' : 'measured',
        suggested: site.pathOrNone === null || born === 0 ? 0 : sum(site.columns.selfNs) / born / 1000,
        most: 1e6,
      }),
      number('part', {
        words: 'share saved',
        unit: '%',
        about: 'share of that time which an instance from the pool does not need',
        origin: 'assumed',
        suggested: 80,
        most: 100,
      }),
      number('take', {
        words: 'taking and returning one',
        unit: 'µs',
        about: 'time of the pool itself',
        origin: 'assumed',
        suggested: 0.2,
        most: 1e6,
      }),
      number('bytes', {
        words: 'memory of one',
        unit: 'bytes',
        about: told,
        origin: each > 0 ? 'measured' : 'assumed',
        suggested: each > 0 ? each : 100,
        most: 1e9,
      }),
    ]
  },
  apply(site, values) {
    const id = Number(values['class'])
    const lives = livesOf(site, id)
    const size = numberOf(values, 'size')
    const beyond = values['beyond'] as Beyond
    const course = runPool(lives, size, beyond, numberOf(values, 'growBy'))
    const each = numberOf(values, 'bytes')
    const makingNs = numberOf(values, 'making') * 1000
    const makingEach = makingNs * (numberOf(values, 'part') / 100)
    const takeNs = numberOf(values, 'take') * 1000
    // What is made beyond the pool is made as before: its time stays where it is.
    const madeAnew = beyond === 'make' ? new Float64Array(site.count) : course.made
    const extraNs = course.served.map((served, frame) => served * takeNs + madeAnew[frame]! * makingEach)
    // What is refused is not made either.
    const spared = course.served.map((served, frame) => served + course.refusedIn[frame]!)
    const idle = mean(course.size.map((all, frame) => Math.max(0, all - course.live[frame]!)))
    const final = course.size.at(-1) ?? size
    return outcome(
      changesOf(site, {
        born: lives.born,
        served: spared,
        live: course.live,
        madeAnew,
        extraNs,
        makingEach,
        each,
      }),
      {
        price: [
          `${bytesWords(Math.round(final * each))} held, of which ${bytesWords(Math.round(idle * each))} idle on average`,
          `${ms((size * makingNs) / 1e6)} to make ${amount(size)} at load`,
          ...trouble(course.grownFrames, course.refused, course.cutShort),
        ],
        notes: [
          `${percent(sum(course.served) / Math.max(1, sum(lives.born)))} of ${amount(sum(lives.born))} births are served by the pool`,
          ...(site.base.allocated === null
            ? ['collections after this are not known: nobody recorded how much is allocated in all']
            : []),
        ],
        memoryBytes: Math.max(0, final - median(course.live)) * each,
        picture: liveCurve(course.live, course.size, nameOf(site, id)),
      },
    )
  },
}

function trouble(grown: number, refused: number, cutShort: number): string[] {
  return [
    ...(grown > 0 ? [`grows in ${plural(grown, 'frame')}`] : []),
    ...(refused > 0 ? [`${three(refused)} are not born`] : []),
    ...(cutShort > 0 ? [`${three(cutShort)} end before their time`] : []),
  ]
}

interface Pooled {
  born: Float64Array
  served: Float64Array
  live: Float64Array
  madeAnew: Float64Array
  extraNs: Float64Array
  makingEach: number
  each: number
}

function changesOf(
  site: Site,
  { born, served, live, madeAnew, extraNs, makingEach, each }: Pooled,
): Change[] {
  const madeBytes = madeAnew.map((made) => made * each)
  const path = site.pathOrNone
  // Those that are made, and not taken from the pool, are carried along as before.
  const pooled = sum(served) / Math.max(1, sum(born))
  const carriedBytes = live.map((alive) => alive * each * pooled)
  if (path === null) {
    return [
      {
        path: null,
        carriedBytes,
        extraBytes: madeBytes.map((bytes, frame) => bytes - served[frame]! * each),
      },
    ]
  }
  const { selfNs, bytes } = site.columns
  const keep = selfNs.map((ns, frame) => (ns > 0 ? Math.max(0, 1 - (served[frame]! * makingEach) / ns) : 1))
  const recorded = sum(bytes) > 0
  const keepBytes = born.map((births, frame) =>
    recorded && births > 0 ? 1 - Math.min(1, served[frame]! / births) : 1,
  )
  const extraBytes = recorded ? madeBytes : madeBytes.map((more, frame) => more - served[frame]! * each)
  return [{ path, alone: true, keep, sameRuns: true, keepBytes, extraNs, extraBytes, carriedBytes }]
}

function classesOf(site: Site): { id: number; name: string }[] {
  const { lives, declarations } = site.base.study
  const found = [...lives].filter(([, { born }]) => sum(born) > 0)
  if (found.length === 0)
    throw new Refusal('nothing is told of births and deaths here, so nobody knows how many are alive at once')
  return found.map(([id]) => ({ id, name: declarations.classOf(id).name }))
}

const nameOf = (site: Site, id: number): string => site.base.study.declarations.classOf(id).name

/** The class it is about, or the one that is born as often as the path runs, or the one born most. */
function likeliest(site: Site, classes: { id: number; name: string }[]): { id: number } {
  const named = classes.find(({ name }) => name === site.subject)
  if (named !== undefined) return named
  const runs = site.pathOrNone === null ? NaN : sum(site.columns.calls)
  const born = (id: number) => sum(site.lives(id)!.born)
  const distance = ({ id }: { id: number }) => (Number.isNaN(runs) ? -born(id) : Math.abs(born(id) - runs))
  return classes.reduce((best, one) => (distance(one) < distance(best) ? one : best))
}

/** Births and deaths; those that die without having been born were there before. */
function livesOf(site: Site, id: number): Lives & { born: Float64Array } {
  return site.base.once(`lives ${id}`, () => readLives(site, id))
}

function readLives(site: Site, id: number): Lives & { born: Float64Array } {
  const { born, died } = site.lives(id) ?? {
    born: new Float64Array(site.count),
    died: new Float64Array(site.count),
  }
  let now = 0
  let least = 0
  for (let frame = 0; frame < site.count; frame++) {
    now -= died[frame]!
    least = Math.min(least, now)
    now += born[frame]!
  }
  const lives = { born, died, atStart: -least }
  if (!Number.isFinite(mostAlive(lives))) throw new Refusal('births and deaths are no numbers')
  return lives
}

function bytesEach(site: Site, id: number): { each: number; told: string } {
  const { born, bytes } = site.lives(id)!
  const births = Math.max(1, sum(born))
  const recorded = site.pathOrNone === null ? 0 : sum(site.columns.bytes) / births
  if (recorded > 0) return { each: recorded, told: 'what the path allocates for each birth' }
  const told = sum(bytes) / births
  if (told > 0) return { each: told, told: 'as the game says of those born' }
  return { each: 0, told: 'neither recorded nor told by the game: to be judged by whoever plans' }
}

/** How many live, against the pool that holds them, by frame. */
export function liveCurve(live: Float64Array, size: Float64Array, what: string): Picture {
  const last = size.at(-1) ?? 0
  return {
    words: 'Instances alive against the size of the pool',
    foot: `${plural(live.length, 'frame')}; at most ${three(largestOf(live))} alive at once`,
    legend: [
      { words: `“${what}” alive`, tone: 'work-soft' },
      { words: 'size of the pool', tone: 'ink', isLine: true },
    ],
    panels: [
      {
        form: 'curves',
        most: largestOf(live, size) * HEADROOM,
        curves: [
          { values: live, tone: 'work-soft', as: 'area' },
          { values: size, tone: 'ink', as: 'line' },
        ],
        labels: [
          { at: last, words: three(last) },
          { at: 0, words: '0' },
        ],
      },
    ],
  }
}
