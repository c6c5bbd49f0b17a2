import { MAIN_LANE, NO_PATH } from '../../take/index.ts'
import { mean, sum } from '../../stats/index.ts'
import type { Evidence } from '../gather-evidence.ts'
import { costsOf, worstFrames, type Detector, type Kind, type Finding } from '../finding.ts'
import { amount, costWords, msOf, plural, share, three, part } from '../sentences.ts'

/** Fewer needless runs than this share are what happens, unless they cost this share of the budget. */
const LEAST_SHARE = 0.2
const LEAST_COST = 0.01

/** Runs that say they changed nothing, and updates of what is unseen, far or asleep. */
const needlessUpdates: Detector = (evidence, claimed) => {
  const said = saidNeedless(evidence, claimed)
  const told = new Set(said.map(({ path }) => path))
  return [...said, ...idleUpdaters(evidence, claimed, told)]
}

const isMuch = ({ budgetNs }: Evidence, share: number, costNs: number): boolean =>
  share >= LEAST_SHARE || costNs >= LEAST_COST * budgetNs

function saidNeedless(evidence: Evidence, claimed: ReadonlySet<number>): Finding[] {
  const found = new Map<number, Finding>()
  for (const { path, course } of [...evidence.work, ...evidence.elsewhere]) {
    const { details } = course
    const { name, watches } = evidence.study.declarations.marker(path.marker)
    if (details === null || claimed.has(path.id) || watches.length > 0) continue
    // What runs inside a needless run is needless with it.
    if (evidence.study.paths.chain(path.id).some((above) => found.has(above))) continue
    const said = sum(details.said)
    const needless = sum(details.needless)
    const costNs = sum(details.needlessNs) / evidence.count
    if (said === 0 || !isMuch(evidence, needless / said, costNs)) continue
    const runs = sum(course.calls)
    found.set(path.id, {
      kind: 'needless-updates',
      path: path.id,
      text:
        `${name} runs ${amount(runs / evidence.count)} times a frame, and ${three(needless / evidence.count)} of these change nothing: ` +
        `${costWords(evidence, costNs)}${laneWords(evidence, path.lane)}.${idleWords(evidence, path.marker)}`,
      ...costsOf(evidence, {
        sumNs: sum(details.needlessNs),
        strikes: details.needless.filter((times) => times > 0).length,
        trouble: 'floor',
      }),
      confidence: said >= runs / 2 ? 'high' : 'medium',
      because: `the runs themselves say so: ${plural(needless, 'run')} of ${three(said)} that told, ${share(needless / said)}`,
      frames: worstFrames(course.frame, details.needlessNs),
      remedies: ['sleep', 'gate', 'react', 'timer', 'rate-by-distance', 'stagger'],
      view: 'roster',
      subject: '',
      load: null,
    })
  }
  return [...found.values()]
}

/** Work on another lane is not part of the frame; it is in the way of what else that lane could do. */
const laneWords = ({ study }: Evidence, lane: number): string =>
  lane === MAIN_LANE ? '' : ` on lane “${study.declarations.lane(lane).name}”, beside the frame`

/** Instances that were updated although the game says that nobody sees them, or the like. */
function idleOf(evidence: Evidence, marker: number): { what: string; idle: number; enabled: number } | null {
  const { declarations, updaters } = evidence.study
  for (const [id, series] of updaters) {
    if (declarations.classOf(id).marker !== marker) continue
    const enabled = mean(series.enabled.filter((value) => !Number.isNaN(value)))
    const worst = (['asleep', 'unseen', 'far'] as const)
      .map((what) => ({ what, idle: mean(series[what].filter((value) => !Number.isNaN(value))), enabled }))
      .sort((a, b) => b.idle - a.idle)[0]!
    // Who says that more are idle than enabled is taken at the lower word.
    return worst.idle > 0 && enabled > 0 ? { ...worst, idle: Math.min(worst.idle, enabled) } : null
  }
  return null
}

function idleWords(evidence: Evidence, marker: number): string {
  const idle = idleOf(evidence, marker)
  return idle === null
    ? ''
    : ` Of ${three(idle.enabled)} that are updated ${three(idle.idle)} are ${idle.what}.`
}

/** Updaters whose runs say nothing: judged by their flags. */
function idleUpdaters(evidence: Evidence, claimed: ReadonlySet<number>, told: Set<number | null>): Finding[] {
  return evidence.work.flatMap(({ path, course }) => {
    const saysEffect = course.details?.said.some((value) => value > 0) ?? false
    const nested = path.parent !== NO_PATH && told.has(path.parent)
    if (saysEffect || nested || claimed.has(path.id)) return []
    const idle = idleOf(evidence, path.marker)
    if (idle === null) return []
    const means = evidence.means(path.id)
    const idleShare = idle.idle / idle.enabled
    const costNs = means.totalNs * idleShare
    if (!isMuch(evidence, idleShare, costNs)) return []
    const { name } = evidence.study.declarations.marker(path.marker)
    return {
      kind: 'needless-updates' as const,
      path: path.id,
      text: `${name} updates ${three(idle.enabled)} instances, of which ${three(idle.idle)} are ${idle.what}: about ${costWords(evidence, costNs)}, at ${msOf(means.totalNs / means.calls)} each.`,
      ...costsOf(evidence, {
        sumNs: sum(course.totalNs) * idleShare,
        strikes: course.frame.length,
        trouble: 'floor',
      }),
      confidence: 'medium' as const,
      because: `the instances say so (${share(idleShare)}); that their runs cost as much as the others’ is assumed`,
      frames: worstFrames(course.frame, course.totalNs),
      remedies: ['sleep', 'rate-by-distance', 'timer', 'stagger'],
      view: 'roster' as const,
      subject: idle.what,
      load: null,
    }
  })
}

export const kind: Kind = {
  name: 'needless-updates',
  order: 5,
  words: 'updates that change nothing',
  found: `${part(LEAST_SHARE)} of the runs or more say they changed nothing, or fewer that cost ${part(LEAST_COST)} of the budget; or as many of the enabled updaters are asleep, unseen or far. What runs inside a needless run is counted with it`,
  cost: 'time of those runs; for flags, total × share',
  claims: true,
  limits: { LEAST_SHARE, LEAST_COST },
  detect: needlessUpdates,
}
