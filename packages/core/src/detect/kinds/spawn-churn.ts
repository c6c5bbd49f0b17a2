import { lowerBound, mean, sum } from '../../stats/index.ts'
import { pauseTotalNs, timesOf, usualPauseNs, type Collection } from '../collections.ts'
import type { Evidence } from '../gather-evidence.ts'
import { costsOf, worstFrames, type Detector, type Kind, type Finding } from '../finding.ts'
import { instancesOf, type InstanceSeries } from '../instances.ts'
import { allocationOf } from '../memory.ts'
import { costWords, msOf, plural, share, three, part } from '../sentences.ts'
import { countedSeconds, type PathCourse } from '../../study/index.ts'

/** Fewer births a second are the course of things. */
const LEAST_BIRTHS = 5
/** So many of those born also die: they are not gathered, they pass through. */
const LEAST_DEATHS = 0.5
/** A path makes the instances when it runs as often as they are born in this share of the frames. */
const LEAST_MATCH = 0.95

/** Instances that are made and thrown away all the time. */
const spawnChurn: Detector = (evidence) => {
  const { bytesPerSecond } = allocationOf(evidence)
  return instancesOf(evidence.study).flatMap((instances) => {
    const { born, died } = instances
    if (born === 0 || born < LEAST_BIRTHS * countedSeconds(evidence.study) || died < LEAST_DEATHS * born)
      return []
    const maker = makerOf(evidence, instances.class)
    const ofBytes = shareOfBytes(maker, instances, bytesPerSecond * evidence.seconds)
    return [findingOf(evidence, instances, maker, ofBytes)]
  })
}

function findingOf(
  evidence: Evidence,
  instances: InstanceSeries,
  maker: PathCourse | null,
  ofBytes: number | null,
): Finding {
  const { count, collections } = evidence
  const seconds = countedSeconds(evidence.study)
  const { name, born, died, alive } = instances
  const makingNs = maker === null ? 0 : sum(maker.selfNs)
  const pausesNs = ofBytes === null ? 0 : pauseTotalNs(collections) * ofBytes
  const pauseNs = usualPauseNs(collections)
  const lifeS = mean(alive.filter((value) => !Number.isNaN(value))) / (died / seconds)
  const costNs = (makingNs + pausesNs) / count
  const bytesWords =
    ofBytes === null || collections.length === 0
      ? ''
      : ` They are ${share(ofBytes)} of what is allocated, and so of ${plural(timesOf(collections), 'collection')} of ${msOf(pauseNs)} each.`
  return {
    kind: 'spawn-churn',
    path: maker?.path ?? null,
    text:
      `${three(born / seconds)} of “${name}” are born and ${three(died / seconds)} die each second, ${lifeWords(lifeS)}: ` +
      `${costWords(evidence, costNs)}.${bytesWords} A pool would make none.`,
    ...costsOf(evidence, {
      sumNs: makingNs + pausesNs,
      strikes: struckFrames(maker, pausesNs > 0 ? collections : []),
    }),
    confidence: maker !== null && ofBytes !== null ? 'high' : 'medium',
    because:
      `births and deaths are counted (${three(born)} and ${three(died)})` +
      (maker === null ? '; no marker runs as often as they are born' : '') +
      (ofBytes === null ? '; their share of the collections is not known, since no bytes are recorded' : ''),
    frames: maker === null ? [] : worstFrames(maker.frame, maker.selfNs),
    remedies: ['pool', 'reuse', 'drop'],
    view: 'memory',
    subject: name,
    load: null,
  }
}

const lifeWords = (lifeS: number): string =>
  lifeS > 0 ? `though each lives only about ${three(lifeS)} s` : 'none of which outlives its frame'

/** In how many frames instances are made, or collected. */
const struckFrames = (maker: PathCourse | null, collections: readonly Collection[]): number =>
  new Set([...(maker?.frame ?? []), ...collections.map(({ frame }) => frame)]).size

/** The path that runs as often as instances are born, in the frames in which they are. */
function makerOf(evidence: Evidence, id: number): PathCourse | null {
  const { born } = evidence.study.lives.get(id)!
  const frames = [...born.keys()].filter((frame) => born[frame]! > 0)
  const matches = evidence.work.filter(({ course }) => {
    if (course.frame.length > frames.length / LEAST_MATCH) return false
    let same = 0
    for (const frame of frames) {
      const cell = lowerBound(course.frame, frame)
      if (course.frame[cell] === frame && course.calls[cell] === born[frame]) same++
    }
    return same >= LEAST_MATCH * frames.length
  })
  const weight = ({ details, selfNs }: PathCourse) => sum(details?.bytes) * 1e6 + sum(selfNs)
  return matches.reduce<PathCourse | null>(
    (best, { course }) => (best === null || weight(course) > weight(best) ? course : best),
    null,
  )
}

/** Of all bytes allocated: by the maker's path where bytes are recorded, else as the game says. */
function shareOfBytes(maker: PathCourse | null, { bytes }: InstanceSeries, all: number): number | null {
  if (all <= 0) return null
  const measured = sum(maker?.details?.bytes)
  const own = measured > 0 ? measured : bytes
  return own > 0 ? Math.min(1, own / all) : null
}

export const kind: Kind = {
  name: 'spawn-churn',
  order: 8,
  words: 'made and thrown away',
  found: `${LEAST_BIRTHS} births a second or more, ${part(LEAST_DEATHS)} of which die. Its path runs exactly as often as instances are born`,
  cost: 'making them, and their share of the pauses',
  claims: true,
  limits: { LEAST_BIRTHS, LEAST_DEATHS, LEAST_MATCH },
  detect: spawnChurn,
}
