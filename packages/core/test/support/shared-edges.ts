/** Cases on both sides of every figure that several kinds of findings share. */
import { allocatorsOf } from '../../src/detect/collections.ts'
import { periodOf } from '../../src/detect/periodic.ts'
import { fitScaling, holdsThroughout, pointsOf } from '../../src/detect/scaling.ts'
import { costsOf } from '../../src/detect/finding.ts'
import { isFolded, type Finding } from '@lapsus/core/detect'
import { between, BUDGET, evidenceOf, line, MS, spikesAt, still, upTo, type Edge } from './edges.ts'
import { allocating } from './kind-edges.ts'
import { machine, speed, strikes } from './machine-edges.ts'
import { run, type TestFrame } from './studies.ts'

// --- spikes

/** One long frame at 100, of which `parts` are the shares. */
const spikeOf = (parts: Record<string, number>, excessNs = 40 * MS) =>
  evidenceOf(
    still(300, (frame) => ({
      inside:
        frame === 100
          ? Object.entries(parts).map(([name, share]) => run(name, Math.round(share * excessNs)))
          : [],
    })),
  ).spikes[0]!

const spikes: Record<string, Edge> = {
  // The window at the first frame reaches to one side only: what is usual is what half of it has.
  REACH: (reach) =>
    between(reach / 2 - 1, reach / 2 + 1, (cheap) => {
      const frames = still(300, (frame) => ({
        inside: [run('x', frame === 0 ? 40 * MS : frame <= cheap ? MS : 2 * MS)],
      }))
      return evidenceOf(frames).spikes[0]!.causes[0]!.usualNs === MS
    }),
  // Work goes 14, 15, 16 ms: the median deviation is 1 ms.
  SIGMAS: (sigmas) =>
    between(-0.05, 0.05, (more) => {
      const frames = still(300, (frame) => ({
        inside: [run('x', frame === 150 ? (11 + sigmas * 1.4826 + more) * MS : (10 + (frame % 3)) * MS)],
      }))
      return evidenceOf(frames).spikes.length === 1
    }),
  LEAST_EXCESS: (least) =>
    between(0.98, 1.02, (times) => {
      const frames = still(300, (frame) => ({
        inside: [run('x', 12 * MS + (frame === 150 ? times * least * BUDGET : 0))],
      }))
      return evidenceOf(frames).spikes.length === 1
    }),
  // Work fits and the frame waits for a job; nothing else keeps frames that long.
  LATE: (late) =>
    between(late - 0.01, late + 0.01, (times) => {
      const frames: TestFrame[] = Array.from({ length: 300 }, (_, frame) => ({
        runs: [run('sim', 4 * MS), ...(frame === 100 ? [run('join', times * BUDGET - 4 * MS)] : [])],
      }))
      return evidenceOf(frames, { markers: { join: { kind: 'wait:job' } } }).spikes.length === 1
    }),
  JOIN: (join) =>
    between(join + 1, join, (apart) => {
      const frames = still(300, (frame) => ({
        inside: frame === 100 || frame === 100 + apart ? [run('x', 30 * MS)] : [],
      }))
      return evidenceOf(frames).spikes.length === 1
    }),
  COVERED: (covered) =>
    between(
      covered - 0.005,
      covered + 0.005,
      (share) => spikeOf({ a: share, b: 1 - share }).causes.length === 1,
    ),
  TRIFLE: (trifle) =>
    between(0.95 * trifle, 1.05 * trifle, (share) => {
      const many = Math.round(0.2 / share)
      const small = Object.fromEntries(Array.from({ length: many }, (_, i) => [`small ${i}`, share]))
      return spikeOf({ large: 1 - many * share, ...small }).causes.length > 1
    }),
  PAUSE_NS: (least) => between(0.999 * least, 1.001 * least, (restNs) => isPause({ runs: [], restNs })),
  PAUSE_SHARE: (least) =>
    between(least - 0.005, least + 0.005, (share) =>
      isPause({ runs: [run('x', (1 - share) * 20_000 * MS)], restNs: share * 20_000 * MS }),
    ),
}

function isPause(odd: TestFrame): boolean {
  const frames = still(100, () => ({}))
  frames[50] = odd
  return evidenceOf(frames).isPause[50] === 1
}

// --- families

const familiesOf = (frames: TestFrame[]) => evidenceOf(frames).families

/** From 100 on, with these gaps. */
function withGaps(gaps: readonly number[], count?: number): TestFrame[] {
  const at = [100]
  for (const gap of gaps) at.push(at.at(-1)! + gap)
  return spikesAt(count ?? at.at(-1)! + 100, at)
}

const hasPeriod = (frames: TestFrame[]) => familiesOf(frames)[0]!.period !== null

const families: Record<string, Edge> = {
  LEAST_LIKENESS: (least) =>
    between(least - 0.01, least + 0.01, (cosine) => {
      const frames = still(400, (frame) => ({
        inside:
          frame === 100
            ? [run('a', 30 * MS)]
            : frame === 300
              ? [run('a', 20 * MS * cosine), run('b', 20 * MS * Math.sqrt(1 - cosine ** 2))]
              : [],
      }))
      return familiesOf(frames).length === 1
    }),
  AFTER_MOMENT: (most) =>
    between(most + 1, most, (after) => {
      const at = [200, 500, 900, 1100]
      const frames = spikesAt(1500, at, (frame) => (at.includes(frame + after) ? ['bell'] : []))
      return familiesOf(frames)[0]!.moment !== null
    }),
  LEAST_MEMBERS: (least) =>
    between(least - 1, least, (members) => {
      const at = [200, 500, 900].slice(0, members)
      return familiesOf(spikesAt(1200, at)).length === 1
    }),
  // Gaps take turns: each is off by the median deviation.
  PERIOD_SPREAD: (most) => {
    const off = Math.floor((most * 300) / 1.4826)
    return between(off + 1, off, (by) =>
      hasPeriod(withGaps(Array.from({ length: 8 }, (_, i) => (i % 2 === 0 ? 300 - by : 300 + by)))),
    )
  },
  LEAST_GAPS: (least) =>
    between(least - 1, least, (gaps) => hasPeriod(withGaps(Array<number>(gaps).fill(100)))),
  ALIKE: (share) =>
    between(10 * share - 1, 10 * share, (alike) =>
      hasPeriod(withGaps(Array.from({ length: 10 }, (_, i) => (i < Math.round(alike) ? 100 : 150)))),
    ),
  // Of six spikes so many are right after a bell.
  COMMON: (share) =>
    between(6 * share - 1, 6 * share, (members) => {
      const at = [200, 500, 900, 1100, 1900, 2300]
      const frames = spikesAt(3000, at, (frame) => (at.slice(0, members).includes(frame) ? ['bell'] : []))
      return familiesOf(frames)[0]!.moment !== null
    }),
  MOST_MISSED: (most) =>
    between(most + 1, most, (missed) => hasPeriod(withGaps([100, 100, 100, 100 * (missed + 1)]))),
  LEAST_SPAN: (least) =>
    between(1.03, 0.97, (times) => hasPeriod(withGaps([50, 50, 50, 50], Math.round((times * 200) / least)))),
  // Both of two spikes are right after a moment: the chance is the square of what share of the frames is.
  BELIEVED: (chance) => {
    const count = 600
    const times = Math.floor((Math.sqrt(chance) * count) / 4)
    return between(times + 1, times, (moments) => {
      const apart = Math.floor(count / moments)
      const frames = spikesAt(count, [10 * apart + 1, 12 * apart + 1], (frame) =>
        frame % apart === 0 && frame < moments * apart ? ['bell'] : [],
      )
      return familiesOf(frames)[0]!.moment !== null
    })
  },
}

// --- periods

function framesOf(gaps: readonly number[]): { frame: Uint32Array } {
  const at = [0]
  for (const gap of gaps) at.push(at.at(-1)! + gap)
  return { frame: Uint32Array.from(at) }
}

const periods: Record<string, Edge> = {
  LEAST_RUNS: (least) =>
    between(least - 1, least, (times) => periodOf(framesOf(Array<number>(times - 1).fill(50))) !== null),
  SLACK: (slack) =>
    between(
      100 * slack + 1,
      100 * slack,
      (off) => periodOf(framesOf([100, 100 + off, 100, 100 - off, 100])) !== null,
    ),
  REGULAR: (share) =>
    between(20 * share - 1, 20 * share, (regular) => {
      const gaps = Array.from({ length: 20 }, (_, i) => (i < regular ? 50 : i % 2 === 0 ? 20 : 80))
      return periodOf(framesOf(gaps)) !== null
    }),
}

// --- scaling

/** Whether a law holds in each of some parts of a take, where a frame of a part has this load and cost. */
function holds(parts: ((i: number) => [load: number, costNs: number])[]): boolean {
  const frames = parts.flatMap((part) => Array.from({ length: 60 }, (_, i) => part(Math.floor(i / 3))))
  const load = Float64Array.from(frames, ([value]) => value)
  const cost = Float64Array.from(frames, ([, ns]) => ns)
  return holdsThroughout(load, cost, new Uint8Array(frames.length).fill(1))
}

/** One part whose cost grows with this slope over loads from 0 to 190. */
const sloping =
  (slope: number) =>
  (i: number): [number, number] => [10 * i, 1000 * slope * 10 * i]
const constant = (): [number, number] => [0, 0]

const scaling: Record<string, Edge> = {
  MOST_POINTS: (most) =>
    between(most + 1, most, (count) => {
      const values = Float64Array.from({ length: count }, (_, i) => i + 1)
      return pointsOf(values, values, new Uint8Array(count).fill(1)).length === count
    }),
  LEAST_POINTS: (least) =>
    between(
      least - 1,
      least,
      (count) => fitScaling(line(upTo(count, 10, 100), (load) => 5 * load)).best !== null,
    ),
  LEAST_SPAN: (least) =>
    between(
      100 * least - 1,
      100 * least + 1,
      (most) => fitScaling(line(upTo(20, 100, most), (load) => load)).best !== null,
    ),
  // A slope drowned in alternation: steeper and steeper until the plain law is worse by just so much.
  AS_GOOD: (most) => {
    const fitOf = (slope: number) =>
      fitScaling(line(upTo(20, 10, 100), (load, i) => 1000 + slope * load + (i % 2 === 0 ? 100 : -100)))
    const worseBy = (slope: number) => {
      const { fits } = fitOf(slope)
      return fits[0]!.aicc - Math.min(...fits.map(({ aicc }) => aicc))
    }
    const slopes = Array.from({ length: 400 }, (_, i) => i * 0.01)
    const first = slopes.findIndex((slope) => worseBy(slope) > most)
    return between(slopes[first]!, slopes[first - 1]!, (slope) => fitOf(slope).best!.law === '1')
  },
  // Loads change between the parts only, or only within them.
  PARTS: (parts) =>
    between(0, 0.5, (moved) => {
      const count = parts * 100
      const load = Float64Array.from({ length: count }, (_, frame) => {
        const step = Math.floor(frame / 100 + moved)
        return step * 50 + (frame % 100 === 50 ? 0 : (frame % 5) * 0.1)
      })
      return holdsThroughout(load, load, new Uint8Array(count).fill(1))
    }),
  LEAST_PART_SPAN: (least) =>
    between(0.98, 1.02, (times) => {
      // Six parts, one above the other; each spans `own`, all of them span 100.
      const own = 100 * least * times
      const above = (100 - own) / 5
      return holds(
        Array.from({ length: 6 }, (_, part) => (i: number) => {
          const load = part * above + (own * i) / 19
          return [load, load]
        }),
      )
    }),
  // Three parts agree and one tells nothing: it hangs on the two that slope less.
  AGREES: (least) =>
    between(0.97 * least, 1.03 * least, (slope) =>
      holds([sloping(1), sloping(slope), sloping(1), constant, sloping(slope), sloping(1)]),
    ),
  MOST_AGREE: (least) =>
    between(6 * least - 1, 6 * least, (agreeing) =>
      holds(Array.from({ length: 6 }, (_, part) => sloping(part < Math.round(agreeing) ? 1 : 0))),
    ),
}

const named = (group: string, edges: Record<string, Edge>) =>
  Object.fromEntries(Object.entries(edges).map(([name, edge]) => [`${group}.${name}`, edge]))

export const SHARED_EDGES: Record<string, Edge> = {
  ...named('spikes', spikes),
  ...named('speed', speed),
  ...named('strikes', strikes),
  ...named('machine', machine),
  ...named('families', families),
  ...named('periods', periods),
  ...named('scaling', scaling),
  'allocation.STEADY': (least) =>
    between(
      least - 0.01,
      least,
      (share) => allocatorsOf(evidenceOf(allocating(share, 100)).study)[0]!.steady,
    ),
  'findings.FLOOR': (least) =>
    between(
      100 * least - 1,
      100 * least,
      (strikes) => costsOf({ count: 100 }, { sumNs: MS, strikes }).trouble === 'floor',
    ),
  'findings.WORTH_SHOWING': (least) =>
    between(0.99 * least, 1.01 * least, (share) => {
      const finding = { trouble: 'floor', recoverableNs: share * BUDGET, comingNs: 0 } as Finding
      return !isFolded(finding, BUDGET)
    }),
}
