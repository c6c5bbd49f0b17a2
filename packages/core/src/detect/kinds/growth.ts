import { correlation, median } from '../../stats/index.ts'
import { dense } from '../../study/index.ts'
import type { Evidence } from '../gather-evidence.ts'
import { floorCosts, worstFrames, type Detector, type Kind, type Finding } from '../finding.ts'
import { blocksOf, GROWTH_LIMITS, growthOf, type Growth } from '../growing.ts'
import { loadSources } from '../loads.ts'
import { RAMP_MOMENT } from '../scaling.ts'
import { costWords, msOf, rate, three, part } from '../sentences.ts'

/** Play that the cost is reckoned to: what grows costs little at first. */
const LATER_S = 600
/** Blocks that a cost is laid beside the growth in. */
const COST_BLOCKS = 60
const ALIKE = 0.9

/** Instances or gauges that only ever grow. */
const growth: Detector = (evidence) => {
  const { study } = evidence
  // In a ramp the game lets its load grow on purpose.
  if (study.moments.some(({ name }) => name === RAMP_MOMENT)) return []
  const grown = new Set<string>()
  const classesFirst = loadSources(study).sort((a, b) => Number(a.class === null) - Number(b.class === null))
  return classesFirst.flatMap((source) => {
    // A class and a gauge of the same things are one finding: that of the class.
    const thing = source.name.replace(/s$/, '')
    const found = grown.has(thing) ? null : growthOf(study, source.values)
    if (found === null) return []
    grown.add(thing)
    return [findingOf(evidence, source.name, source.gauge, source.values, found)]
  })
}

function findingOf(
  evidence: Evidence,
  name: string,
  gauge: number | null,
  values: Float64Array,
  grown: Growth,
): Finding {
  const dearer = dearerWith(evidence, values)
  const { perSecond, chance, now } = grown
  const laterNs = dearer === null ? 0 : dearer.nowNs + dearer.nsPerSecond * LATER_S
  const course = dearer === null ? null : evidence.study.courses.get(dearer.path)!
  const dearerWords =
    dearer === null
      ? 'No marker’s cost follows it.'
      : `${evidence.names(dearer.path).at(-1)} costs the more for it: now ${costWords(evidence, dearer.nowNs)}, and ${msOf(laterNs)} after ten more minutes like these.`
  return {
    kind: 'growth',
    path: dearer?.path ?? null,
    text: `“${name}” only ever grows, by ${rate(perSecond)}: ${three(now)} at the end. ${dearerWords} What is done with should go.`,
    ...floorCosts(dearer?.nowNs ?? 0),
    comingNs: laterNs,
    confidence: chance < 1e-8 ? 'high' : 'medium',
    because: `it never falls back, and by chance such a rise would come once in ${three(1 / Math.max(chance, 1e-12))} times`,
    frames: course === null ? [] : worstFrames(course.frame, course.selfNs),
    remedies: ['drop', 'pool', 'bucket'],
    view: 'memory',
    subject: name,
    gauge,
  }
}

/** The path whose cost follows the growth most closely. */
function dearerWith(evidence: Evidence, values: Float64Array) {
  const { count, seconds } = evidence
  const from = values.findIndex((value) => !Number.isNaN(value))
  const load = blocksOf(values, from, COST_BLOCKS)
  let best: { path: number; nowNs: number; nsPerSecond: number; alike: number } | null = null
  for (const { path, course } of evidence.work) {
    const cost = blocksOf(dense(course, 'selfNs', count), from, COST_BLOCKS, median)
    const alike = correlation(load, cost)
    if (alike < ALIKE || (best !== null && alike <= best.alike)) continue
    const rise = cost.at(-1)! - cost[0]!
    best = { path: path.id, nowNs: cost.at(-1)!, nsPerSecond: Math.max(0, rise / seconds), alike }
  }
  return best
}

export const kind: Kind = {
  name: 'growth',
  order: 6,
  words: 'only ever grows',
  found: `instances or a gauge rise (Theil and Sen’s slope, Mann and Kendall’s test below ${GROWTH_LIMITS.SIGNIFICANT}) after the first ${part(GROWTH_LIMITS.WARM_UP)} of the frames, and never fall back by more than ${part(GROWTH_LIMITS.MOST_FALL)} of the rise. Not in a load ramp. Its path is the one whose cost follows it (correlation of block medians at least ${ALIKE})`,
  cost: 'that path now; `comingMs` after ten more minutes',
  claims: true,
  limits: { ...GROWTH_LIMITS, LATER_S, COST_BLOCKS, ALIKE },
  detect: growth,
}
