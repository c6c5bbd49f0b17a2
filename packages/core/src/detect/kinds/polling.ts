import { sum } from '../../stats/index.ts'
import { costsOf, worstFrames, type Detector, type Kind } from '../finding.ts'
import { costWords, plural, rate } from '../sentences.ts'

/** Runs for each change from which on it is polling. */
const LEAST_RATIO = 2

/** Markers that declare what they look at, and run far more often than that changes. */
const polling: Detector = (evidence) =>
  evidence.work.flatMap(({ path, course }) => {
    const { study, count, seconds } = evidence
    const { name, watches } = study.declarations.marker(path.marker)
    const watched = watches.flatMap((id) => study.watches.get(id) ?? [])
    if (watched.length === 0) return []
    const runs = sum(course.calls)
    const changes = watched.reduce((sum, series) => sum + series.changes.reduce((a, b) => a + b, 0), 0)
    // Runs that say they changed something were worth it, whatever the watches say.
    const { said, needless } = course.details ?? {}
    const news = Math.max(changes, sum(said) - sum(needless))
    if (runs < LEAST_RATIO * Math.max(1, news) || runs < seconds) return []
    const totalNs = sum(course.totalNs)
    const sumNs = totalNs * (1 - news / runs)
    const costNs = sumNs / count
    const names = watches.map((id) => `“${study.declarations.watches.get(id)?.name}”`).join(', ')
    return {
      kind: 'polling',
      path: path.id,
      text:
        `${name} runs ${rate(runs / seconds)} to look at ${names}, which ${watches.length === 1 ? 'changes' : 'change'} ${rate(changes / seconds)}: ` +
        `${costWords(evidence, costNs)} for old news.`,
      ...costsOf(evidence, { sumNs, strikes: course.frame.length, trouble: 'floor' }),
      confidence: changes > 0 ? 'high' : 'medium',
      because: `counted: ${plural(runs, 'run')}, ${plural(changes, 'change')} of what it declares to watch`,
      frames: worstFrames(course.frame, course.totalNs),
      remedies: ['react', 'timer', 'gate'],
      view: 'roster',
      subject: '',
      load: null,
    }
  })

export const kind: Kind = {
  name: 'polling',
  order: 4,
  words: 'looks at old news',
  found: `a marker that declares watches runs at least ${LEAST_RATIO} times as often as these change, and once a second`,
  cost: 'total × (1 − changes / runs); runs that say they changed something count as changes',
  claims: true,
  limits: { LEAST_RATIO },
  detect: polling,
}
