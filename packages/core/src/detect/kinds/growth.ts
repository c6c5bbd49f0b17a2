import { correlation, median, sum, theilSen } from '../../stats/index.ts'
import { dense, unbrokenStretches } from '../../study/index.ts'
import type { Evidence } from '../gather-evidence.ts'
import { costsOf, worstFrames, type Detector, type Kind, type Finding } from '../finding.ts'
import { blocksOf, GROWTH_LIMITS, growthOf, type Growth } from '../growing.ts'
import { loadSources, type LoadSource } from '../loads.ts'
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
    const found = grown.has(thing) ? null : growthOf(study, source.values, source.relative)
    if (found === null) return []
    grown.add(thing)
    return [findingOf(evidence, source, found)]
  })
}

function findingOf(
  evidence: Evidence,
  { id, name, class: ofClass, values, relative }: LoadSource,
  grown: Growth,
): Finding {
  const dearer = dearerWith(evidence, values)
  const { perSecond, chance, now } = grown
  const laterNs = dearer === null ? 0 : dearer.nowNs + dearer.nsPerSecond * LATER_S
  const course = dearer === null ? null : evidence.study.courses.get(dearer.path)!
  const isBroken = relative && unbrokenStretches(evidence.study).length > 1
  const endWords = isBroken
    ? 'how many there are at the end is not known, since frames were left out'
    : `${three(now)} at the end${relative ? ', and those that were there before' : ''}`
  const dearerWords =
    dearer === null
      ? 'No marker’s cost follows it.'
      : `${evidence.names(dearer.path).at(-1)} costs the more for it: now ${costWords(evidence, dearer.nowNs)}, and ${msOf(laterNs)} after ten more minutes like these.`
  return {
    kind: 'growth',
    path: dearer?.path ?? null,
    text: `“${name}” only ever grows, by ${rate(perSecond)}: ${endWords}. ${dearerWords} What is done with should go.`,
    ...costsOf(evidence, {
      sumNs: course === null ? 0 : sum(course.selfNs),
      strikes: course?.frame.length ?? 0,
      trouble: 'floor',
    }),
    comingNs: laterNs,
    confidence: chance < 1e-8 ? 'high' : 'medium',
    because: `it never falls back, and by chance such a rise would come once in ${three(1 / Math.max(chance, 1e-12))} times`,
    frames: course === null ? [] : worstFrames(course.frame, course.selfNs),
    remedies: nothingDies(evidence, ofClass) ? ['cap', 'drop', 'bucket'] : ['cap', 'drop', 'pool', 'bucket'],
    view: 'memory',
    subject: name,
    load: id,
  }
}

/** Whether instances of the class are made but never go: then there is nothing to use again. */
const nothingDies = ({ study }: Evidence, ofClass: number | null): boolean =>
  ofClass !== null && sum(study.lives.get(ofClass)?.died) === 0

/** The path whose cost follows the growth most closely. */
function dearerWith(evidence: Evidence, values: Float64Array) {
  const { count, study } = evidence
  const from = values.findIndex((value) => !Number.isNaN(value))
  const seconds = blocksOf(study.frames.startNs, from, COST_BLOCKS).map((ns) => ns / 1e9)
  const load = blocksOf(values, from, COST_BLOCKS)
  let best: { path: number; nowNs: number; nsPerSecond: number; alike: number } | null = null
  for (const { path, course } of evidence.even().work) {
    const cost = blocksOf(dense(course, 'selfNs', count), from, COST_BLOCKS, median)
    const alike = correlation(load, cost)
    if (alike < ALIKE || (best !== null && alike <= best.alike)) continue
    best = { path: path.id, nowNs: cost.at(-1)!, nsPerSecond: Math.max(0, theilSen(seconds, cost)), alike }
  }
  return best
}

export const kind: Kind = {
  name: 'growth',
  order: 6,
  words: 'only ever grows',
  found: `instances or a gauge rise (Theil and Sen’s slope, Mann and Kendall’s test below ${GROWTH_LIMITS.SIGNIFICANT}) after the first ${part(GROWTH_LIMITS.WARM_UP)} of the frames, and never fall back by more than ${part(GROWTH_LIMITS.MOST_FALL)} of the rise. Not in a load ramp. Its path is the one whose cost follows it (correlation of block medians at least ${ALIKE})`,
  cost: 'that path; `comingMs` after ten more minutes',
  claims: true,
  limits: { ...GROWTH_LIMITS, LATER_S, COST_BLOCKS, ALIKE },
  detect: growth,
}
