import { sum } from '../../stats/index.ts'
import { loadSources, type LoadSource } from '../loads.ts'
import type { Evidence } from '../gather-evidence.ts'
import { costsOf, worstFrames, type Detector, type Kind, type Finding } from '../finding.ts'
import {
  costAt,
  costPerCall,
  exponentWords,
  fitFrames,
  holdsThroughout,
  LEAST_EXPLAINED,
  type Scaling,
} from '../scaling.ts'
import { amount, costWords, msOf, share, part } from '../sentences.ts'
import type { PathCourse } from '../../study/index.ts'

/** A path is worth the question from this share of the budget on. */
const LEAST_COST = 0.01
/** Runs a frame from which on each run is one of many against many. */
const MANY = 20
/** At first code is slow whatever the load: it is compiled while it runs. */
const WARM_UP_FRAMES = 120
/**
 * The cost of a run grows nearly as fast as the load does: by this exponent at least. Where only some of the
 * runs cost more the more there are of something else, it grows more slowly.
 */
const LEAST_GROWTH = 0.7
/** Few are no many. */
const LEAST_LOAD = 20
/** Of a cost a frame that grows with the square: the least its exponent may be. */
const SQUARE = 1.5

/** Costs that grow with the product of two numbers: everything is tried against everything. */
const allPairs: Detector = (evidence, claimed) => {
  const sources = loadSources(evidence.study)
  // At equal speed of the machine: one that grows slower follows every load that changes with time.
  return evidence.even().work.flatMap(({ path, course }) => {
    const means = evidence.means(path.id)
    if (claimed.has(path.id) || means.selfNs < LEAST_COST * evidence.budgetNs) return []
    const found = manyAgainstMany(evidence, course, sources) ?? square(evidence, course, sources)
    return found === null ? [] : [found]
  })
}

interface Fitted {
  source: LoadSource
  scaling: Scaling
}

function bestFit(
  evidence: Evidence,
  costNs: Float64Array,
  sources: LoadSource[],
  fits: (scaling: Scaling) => boolean,
) {
  const use = evidence.isNormal.map((is, frame) =>
    is === 1 && frame >= WARM_UP_FRAMES && !Number.isNaN(costNs[frame]!) ? 1 : 0,
  )
  let best: Fitted | null = null
  for (const source of sources) {
    const scaling = fitFrames(source.values, costNs, use)
    if (scaling.best === null || scaling.explained < LEAST_EXPLAINED || !fits(scaling)) continue
    if (!holdsThroughout(source.values, costNs, use)) continue
    if (best === null || scaling.explained > best.scaling.explained) best = { source, scaling }
  }
  return best
}

const ends = ({ points }: Scaling) => ({
  least: points[0]!.load,
  most: points.at(-1)!.load,
})

/** Each of many runs costs in proportion to another number. */
function manyAgainstMany(evidence: Evidence, course: PathCourse, sources: LoadSource[]): Finding | null {
  const means = evidence.means(course.path)
  if (means.calls < MANY) return null
  const cost = costPerCall(course.frame, course.calls, course.selfNs, evidence.count)
  const best = bestFit(evidence, cost, sources, (scaling) => {
    const { least, most } = ends(scaling)
    const rise = Math.log(costAt(scaling.best!, most) / costAt(scaling.best!, least))
    return most >= LEAST_LOAD && rise >= LEAST_GROWTH * Math.log(most / least)
  })
  if (best === null) return null
  const { source, scaling } = best
  const { least, most } = ends(scaling)
  const { name } = evidence.study.declarations.marker(evidence.study.paths.get(course.path).marker)
  return finding(evidence, course, best, {
    text:
      `${name} runs ${amount(means.calls)} times a frame, and each run costs more the more ${source.name} there are: ` +
      `${msOf(costAt(scaling.best!, least))} at ${amount(least)}, ${msOf(costAt(scaling.best!, most))} at ${amount(most)}. ` +
      `All against all: ${costWords(evidence, means.selfNs)}.`,
  })
}

/** One run whose cost grows with the square of a number. */
function square(evidence: Evidence, course: PathCourse, sources: LoadSource[]): Finding | null {
  if (evidence.means(course.path).calls >= MANY) return null
  const selfNs = new Float64Array(evidence.count).fill(NaN)
  course.frame.forEach((frame, cell) => (selfNs[frame] = course.selfNs[cell]!))
  const best = bestFit(
    evidence,
    selfNs,
    sources,
    ({ best, exponent }) => best!.law === 'n²' && exponent !== null && exponent.low >= SQUARE,
  )
  if (best === null) return null
  const { source, scaling } = best
  const { most } = ends(scaling)
  const means = evidence.means(course.path)
  const { name } = evidence.study.declarations.marker(evidence.study.paths.get(course.path).marker)
  return finding(evidence, course, best, {
    text:
      `${name} grows with the square of ${source.name} (${exponentWords(scaling.exponent!)}): ` +
      `${msOf(costAt(scaling.best!, most))} at ${amount(most)}, ${msOf(costAt(scaling.best!, 2 * most))} at twice as many. ` +
      `Now ${costWords(evidence, means.selfNs)}.`,
  })
}

/**
 * What of the cost hangs on the load, each frame at its own, ns. What a run costs however few there are stays; the rest is
 * for those that are too far to matter.
 */
function growing({ frame, selfNs }: PathCourse, load: Float64Array, { best }: Scaling): number {
  let sumNs = 0
  selfNs.forEach((ns, cell) => {
    const atLoad = costAt(best!, load[frame[cell]!]!)
    if (atLoad > 0) sumNs += ns * Math.max(0, 1 - best!.baseNs / atLoad)
  })
  return sumNs
}

function finding(
  evidence: Evidence,
  course: PathCourse,
  { source, scaling }: Fitted,
  { text }: { text: string },
): Finding {
  // Judged at equal speed, told as recorded.
  const recorded = evidence.study.courses.get(course.path)!
  return {
    kind: 'all-pairs',
    path: course.path,
    text,
    ...costsOf(evidence, {
      sumNs: sum(recorded.selfNs),
      strikes: recorded.frame.length,
      recoverableNs: growing(recorded, source.values, scaling),
      trouble: 'floor',
    }),
    confidence: scaling.explained >= 0.9 ? 'high' : 'medium',
    because: `the law explains ${share(scaling.explained)} of how the cost varies over ${scaling.points.length} loads of ${source.name}`,
    frames: worstFrames(recorded.frame, recorded.selfNs),
    remedies: ['bucket', 'share', 'jobs', 'timer'],
    view: 'scaling',
    subject: source.name,
    load: source.id,
  }
}

export const kind: Kind = {
  name: 'all-pairs',
  order: 7,
  words: 'all against all',
  found: `${MANY} runs a frame or more, each of which costs in proportion (exponent at least ${LEAST_GROWTH}) to a load of ${LEAST_LOAD} or more; or fewer runs whose cost goes with the square of a load (exponent’s interval above ${SQUARE}). The law must explain ${part(LEAST_EXPLAINED)} of the variation, and hold in two thirds of the parts of the take: a machine that grows slower follows every load that changes with time`,
  cost: 'self time',
  claims: true,
  limits: { LEAST_COST, MANY, WARM_UP_FRAMES, LEAST_EXPLAINED, LEAST_GROWTH, LEAST_LOAD, SQUARE },
  detect: allPairs,
}
