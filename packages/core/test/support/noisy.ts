/**
 * Nights of a made-up game on a machine that is not quiet: what the game does is clean, unless something is
 * planted; what the machine does to it can be chosen.
 */
import type { Study } from '@lapsus/core/study'
import { normalFrom, randomFrom, run, studyFrom, type Run, type TestFrame, type TestGame } from './studies.ts'

export interface Machine {
  /** Spread of the logarithm of each run. */
  sigma?: number
  /** Runs of which a share takes many times as long (Pareto's law with this exponent). */
  tails?: { share: number; exponent: number }
  /** Stretches of 1 to 4 frames in which all code is slower, a second. */
  hiccups?: number
  /** Times a second of running that the thread is taken away, and for how long on average, ms. */
  interruptions?: { perSecond: number; ms: number }
  /** The machine's speed: a slow wave, or a random walk, of at most this share. */
  drift?: { share: number; kind: 'wave' | 'walk' }
  /** Whether the system tells what it took. */
  tells?: boolean
}

export interface Night {
  seed: number
  count: number
  target?: number
  machine?: Machine
  /** Planted: what runs besides, in `sim`, and what is said besides. */
  more?: (frame: number, random: () => number) => Partial<TestFrame> & { inside?: Run[] }
  /** Share of the budget that the game itself takes. */
  fill?: number
  /** Garbage collections a second. */
  collections?: number
}

/** What every frame does, as shares of the game's own time. None of it much, if the game is not to blame. */
const GAME: readonly { marker: string; share: number; runs: number; every?: number }[] = [
  { marker: 'input', share: 0.03, runs: 1 },
  { marker: 'physics', share: 0.11, runs: 1 },
  { marker: 'joints', share: 0.1, runs: 12 },
  { marker: 'moth', share: 0.11, runs: 40 },
  { marker: 'lantern', share: 0.1, runs: 25 },
  { marker: 'route', share: 0.1, runs: 3 },
  { marker: 'belts', share: 0.1, runs: 6 },
  { marker: 'weather', share: 0.08, runs: 1 },
  { marker: 'sound', share: 0.06, runs: 1 },
  { marker: 'tally', share: 0.05, runs: 2 },
  { marker: 'draw list', share: 0.11, runs: 1 },
  { marker: 'chores', share: 0.05, runs: 1, every: 10 },
]

export function noisyNight(night: Night): Study {
  const { seed, count, target = 60, machine = {}, more, fill = 0.4, collections = 0.5 } = night
  const random = randomFrom(seed)
  const budgetNs = 1e9 / target
  const { sigma = 0.05, tails, hiccups = 0, interruptions, drift, tells = false } = machine
  let speed = 1
  let slow = { frames: 0, factor: 1 }
  let walk = 0
  const phase = random() * 6
  const frames: TestFrame[] = []
  let heap = 20e6
  let moths = 40
  for (let frame = 0; frame < count; frame++) {
    if (drift?.kind === 'wave')
      speed = 1 + drift.share * Math.sin(phase + (frame / count) * 2 * Math.PI * 1.3)
    if (drift?.kind === 'walk') {
      walk = Math.max(-1, Math.min(1, walk + 0.03 * normalFrom(random)))
      speed = 1 + drift.share * walk
    }
    if (slow.frames > 0) slow.frames--
    else if (random() < hiccups / target)
      slow = { frames: 1 + Math.floor(random() * 4), factor: 2 + 6 * random() }
    const factor = speed * (slow.frames > 0 ? slow.factor : 1)
    const lasting = (ns: number) => {
      const tail = tails !== undefined && random() < tails.share ? (1 - random()) ** (-1 / tails.exponent) : 1
      return Math.max(100, Math.round(ns * factor * tail * Math.exp(sigma * normalFrom(random))))
    }
    const { inside = [], ...rest } = more?.(frame, random) ?? {}
    const own = GAME.flatMap(({ marker, share, runs, every = 1 }) =>
      frame % every !== 0
        ? []
        : Array.from({ length: runs }, () => run(marker, lasting((share * fill * budgetNs) / runs))),
    )
    const children = [
      ...own,
      ...inside.map((span) => ({ ...span, selfNs: Math.round(span.selfNs * factor) })),
    ]
    heap += 200_000
    if (random() < 0.05) moths = Math.max(20, Math.min(60, moths + Math.round(2 * normalFrom(random))))
    if (random() < collections / target) {
      const pause = run('collection (minor)', Math.round(3e5 * Math.exp(0.4 * normalFrom(random))))
      children.splice(Math.floor(random() * (children.length + 1)), 0, pause)
      heap = 20e6
    }
    const takenNs = interrupt(children, interruptions, random)
    const spent = children.reduce((sum, span) => sum + totalNs(span), 0)
    // A frame that misses a refresh waits for the next.
    const refreshes = Math.max(1, Math.ceil((spent + 50_000) / budgetNs))
    frames.push({
      ...rest,
      takenNs: tells ? takenNs : undefined,
      gauges: { heap, moths, ...rest.gauges },
      moments: [...(rest.moments ?? []), ...(random() < 0.2 / target ? ['gate'] : [])],
      runs: [
        run('sim', lasting(20_000), { children }),
        run('refresh', Math.max(1_000, Math.round(refreshes * budgetNs - spent - 20_000))),
        ...(rest.runs ?? []),
      ],
    })
  }
  const game: TestGame = {
    target,
    markers: { refresh: { kind: 'wait:refresh' }, 'collection (minor)': { kind: 'collect' } },
  }
  return studyFrom(frames, game)
}

const totalNs = ({ selfNs, children = [] }: Run): number =>
  children.reduce((sum, child) => sum + totalNs(child), selfNs)

/** Lengthens the runs that are struck; each is struck as likely as it is long. @returns ns taken in all */
function interrupt(runs: Run[], interruptions: Machine['interruptions'], random: () => number): number {
  if (interruptions === undefined) return 0
  let taken = 0
  const perNs = interruptions.perSecond / 1e9
  const strike = (span: Run) => {
    if (random() < span.selfNs * perNs) {
      const ns = Math.round(-Math.log(1 - random()) * interruptions.ms * 1e6)
      span.selfNs += ns
      taken += ns
    }
    span.children?.forEach(strike)
  }
  runs.forEach(strike)
  return taken
}
