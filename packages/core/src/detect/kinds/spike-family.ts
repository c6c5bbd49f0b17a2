import { msOf, overAll, part, plural, three } from '../sentences.ts'
import { causeWords, OUTSIDE } from '../../words/index.ts'
import type { Evidence } from '../gather-evidence.ts'
import type { SpikeFamily } from '../families.ts'
import {
  costsOf,
  worstFrames,
  type Confidence,
  type Detector,
  type Kind,
  type Finding,
  type RemedyKind,
} from '../finding.ts'
import type { Cause } from '../spikes.ts'

/** Spikes that come at no moment and in no period are a finding when they are this many. */
const LEAST_UNEXPLAINED = 3
/** And when one path alone makes up this share of their excess. */
const ONE_PATH = 0.5

/** Spikes that come again for the same reason. */
const spikeFamilies: Detector = (evidence) =>
  evidence.families
    .filter((family) => isWorthSaying(evidence, family))
    .map((family) => findingOf(evidence, family))

/**
 * Runs that were merely slower, at no particular time, are the game's where the machine does not explain them; and
 * collections, as waits for graphics and for jobs, are findings of their own.
 */
function isWorthSaying({ study, strikes }: Evidence, family: SpikeFamily): boolean {
  const { causes, moment, period, spikes, meanExcessNs } = family
  const cause = causes[0]
  if (cause === undefined || cause.why === 'collection') return false
  if (moment !== null || period !== null) return true
  if (spikes.length < LEAST_UNEXPLAINED || cause.excessNs < ONE_PATH * meanExcessNs) return false
  if (cause.why === 'slower-calls') return strikes.ownPaths.has(cause.path)
  return cause.why === 'more-calls' || study.paths.get(cause.path!).kind === 'wait:io'
}

function findingOf(evidence: Evidence, family: SpikeFamily): Finding {
  const members = family.spikes.map((index) => evidence.spikes[index]!)
  const cause = family.causes[0]!
  const names = cause.path === null ? [OUTSIDE] : evidence.names(cause.path)
  // Of all frames of the episodes, the causes have the share that they have of the worst ones.
  const causeNs = family.causes.reduce((sum, { excessNs }) => sum + excessNs, 0)
  const explained = Math.min(1, causeNs / family.meanExcessNs)
  const sumNs = explained * members.reduce((sum, { severityNs }) => sum + severityNs, 0)
  const strikes = members.reduce((sum, { frames }) => sum + frames, 0)
  const usual = members.reduce(
    (sum, { typicalFrame }) => sum + evidence.study.frames.workNs[typicalFrame]!,
    0,
  )
  const meanWork = members.reduce(
    (sum, { workNs, durationNs, held }) => sum + (held ? durationNs : workNs),
    0,
  )
  const { confidence, because } = certainty(family)
  return {
    kind: 'spike-family',
    path: cause.path,
    text:
      `${plural(members.length, 'frame')}${whenWords(family)} took ${msOf(meanWork / members.length)} on average, ` +
      `frames around them ${msOf(usual / members.length)}: ` +
      `${family.causes
        .slice(0, 2)
        .map((each) =>
          causeWords(nameOf(evidence, each), {
            ...each,
            selfMs: each.selfNs / 1e6,
            usualMs: each.usualNs / 1e6,
          }),
        )
        .join('; ')}. ` +
      overAll(evidence, sumNs / strikes, strikes),
    ...costsOf(evidence, { sumNs, strikes, trouble: 'spike' }),
    confidence,
    because,
    frames: worstFrames(
      members.map(({ frame }) => frame),
      members.map(({ excessNs }) => excessNs),
    ),
    remedies: remediesFor(cause, family.held),
    view: 'spikes',
    subject: family.moment?.name ?? names.at(-1)!,
    load: null,
  }
}

const nameOf = (evidence: Evidence, { path }: Cause) =>
  path === null ? OUTSIDE : evidence.names(path).at(-1)!

function whenWords({ moment, period, spikes }: SpikeFamily): string {
  if (moment !== null) {
    const { members, times, name } = moment
    return members === spikes.length
      ? ` at “${name}” (${members} of its ${times})`
      : `, ${members} of them at “${name}”,`
  }
  return period === null ? '' : ` every ${three(period.ms / 1000)} s`
}

function certainty({ moment, period, spikes }: SpikeFamily): { confidence: Confidence; because: string } {
  if (moment !== null) {
    const chance = moment.chance < 1e-6 ? 'less than one in a million' : three(moment.chance)
    return {
      confidence: 'high',
      because: `${moment.members} of ${spikes.length} begin within three frames after “${moment.name}”, ${three(moment.lift)} times as often as elsewhere; the chance of that by accident is ${chance}`,
    }
  }
  if (period !== null)
    return {
      confidence: 'high',
      because: `they come every ${three(period.ms / 1000)} s, give or take ${three(period.spreadMs / 1000)} s, and have the same cause`,
    }
  return {
    confidence: 'medium',
    because: `${spikes.length} spikes have the same cause, and the machine was as usual; no moment or period explains when they come`,
  }
}

/** So few runs are slow each by itself, whether they usually run or not. */
const FEW_RUNS = 2

function remediesFor({ why, calls }: Cause, held: boolean): RemedyKind[] {
  if (held) return ['jobs', 'by-hand']
  return why === 'more-calls' && calls > FEW_RUNS
    ? ['slice', 'jobs', 'share', 'by-hand']
    : ['slice', 'jobs', 'bucket', 'by-hand']
}

export const kind: Kind = {
  name: 'spike-family',
  order: 1,
  words: 'spikes that come again',
  found: `a family with a moment or a period; or of ${LEAST_UNEXPLAINED} spikes or more that one path explains by ${part(ONE_PATH)} or more: by more runs, by a wait for input or output, or by slower runs that the machine does not explain`,
  cost: 'excess of the causes, in all frames of the episodes',
  claims: false,
  limits: { LEAST_UNEXPLAINED, ONE_PATH, FEW_RUNS },
  detect: spikeFamilies,
}
