import { allocationOf } from '../memory.ts'
import { allocatorsOf, pauseTotalNs, STEADY, timesOf, usualPauseNs } from '../collections.ts'
import { costsOf, worstFrames, type Detector, type Kind } from '../finding.ts'
import { msOf, overAll, plural, share, three, part } from '../sentences.ts'
import { bytes as bytesWords } from '../../words/index.ts'

/** Bytes a frame from which on it is worth a word: at 60 frames a second about a megabyte each second. */
const LEAST_BYTES = 16_000

/** Paths that allocate in nearly every frame. */
const steadyAllocation: Detector = (evidence, claimed) => {
  const { study, count, seconds, collections } = evidence
  const allocators = allocatorsOf(study)
  const { bytesPerSecond } = allocationOf(evidence)
  const all = allocators.reduce((sum, { bytes }) => sum + bytes, 0)
  return allocators.flatMap(({ path, bytes, share: ofFrames, steady }) => {
    const perFrame = bytes / count
    if (!steady || perFrame < LEAST_BYTES || claimed.has(path)) return []
    const at = study.paths.get(path)
    // What is allocated while the game waits is what others run meanwhile.
    if (at.kind !== 'work') return []
    const course = study.courses.get(path)!
    const { name } = study.declarations.marker(at.marker)
    const ofBytes = bytes / all
    const pauseNs = usualPauseNs(collections)
    const times = timesOf(collections)
    const ofEachNs = (pauseTotalNs(collections) * ofBytes) / Math.max(1, times)
    const pausedFrames = new Set(collections.map(({ frame }) => frame)).size
    return {
      kind: 'steady-allocation',
      path,
      text:
        `${name} allocates ${bytesWords(Math.round(perFrame))} in every frame, ${bytesWords(Math.round(ofBytes * bytesPerSecond))} each second: ` +
        `${share(ofBytes)} of all that is allocated, and so ${msOf(ofEachNs)} of each of ${plural(times, 'collection')} ` +
        `(${msOf(pauseNs)}, ${three((times / seconds) * 60)} a minute). In steady state it would allocate nothing. ` +
        overAll(evidence, ofEachNs, times),
      ...costsOf(evidence, { sumNs: pauseTotalNs(collections) * ofBytes, strikes: pausedFrames }),
      confidence: 'high',
      because: `bytes are measured, in ${share(ofFrames)} of ${plural(count, 'frame')}`,
      frames: worstFrames(course.frame, course.details!.bytes),
      remedies: ['reuse', 'pool', 'one-manager'],
      view: 'memory',
      subject: '',
      load: null,
    }
  })
}

export const kind: Kind = {
  name: 'steady-allocation',
  order: 9,
  words: 'allocates in every frame',
  found: `a path that works allocates in ${part(STEADY)} of the frames, ${bytesWords(LEAST_BYTES)} or more each; needs mode \`bytes\``,
  cost: 'its share of the bytes × the pauses',
  claims: true,
  limits: { STEADY, LEAST_BYTES },
  detect: steadyAllocation,
}
