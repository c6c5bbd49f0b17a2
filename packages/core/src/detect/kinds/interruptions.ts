import { mean } from '../../stats/index.ts'
import type { Evidence } from '../gather-evidence.ts'
import { costsOf, MOST_FRAMES, type Detector, type Kind } from '../finding.ts'
import { msOf, overAll, part, plural, three } from '../sentences.ts'
import type { Spike } from '../spikes.ts'
import { isMachine } from '../strikes.ts'

/** Shorter absences than this share of the budget are the course of things. */
const LEAST_TAKEN = 0.05
/** Fewer times may be anything. */
const LEAST_TIMES = 3

interface Absence {
  frame: number
  ns: number
}

/** The system takes the thread away, or slows all code, at no particular place. */
const interruptions: Detector = (evidence) => {
  const { spikes, strikes } = evidence
  const told = toldAbsences(evidence)
  const struck = isMachine(strikes)
    ? strikes.byChance.map(({ frame, excessNs }) => ({ frame, ns: excessNs }))
    : []
  const away = [...told, ...struck]
  const slow = spikes.filter(({ machine }) => machine?.by === 'slower')
  // Of all frames of an episode as much as of its worst one.
  const slowed = slow.map(({ frame, frames, machine, excessNs, severityNs }) => ({
    ...{ frame, frames },
    ns: severityNs * (machine!.excessNs / excessNs),
  }))
  const all = [...away.map((one) => ({ ...one, frames: 1 })), ...slowed]
  if (away.length < LEAST_TIMES && slow.length < LEAST_TIMES) return []
  const sumNs = all.reduce((sum, { ns }) => sum + ns, 0)
  const framesAt = new Map(all.map(({ frame, frames }) => [frame, frames]))
  const struckFrames = [...framesAt.values()].reduce((sum, frames) => sum + frames, 0)
  const worst = all.sort((a, b) => b.ns - a.ns)
  return [
    {
      kind: 'interruptions',
      path: null,
      text: [
        ...awayWords(away),
        ...slowWords(slow),
        'This is not the game’s code: close other programs, or record on a machine that does nothing else.',
        overAll(evidence, sumNs / struckFrames, struckFrames),
      ].join(' '),
      ...costsOf(evidence, { sumNs, strikes: struckFrames, recoverableNs: 0, trouble: 'machine' }),
      confidence: told.length > 0 || slow.length >= LEAST_TIMES ? 'high' : 'medium',
      because: becauseWords(told.length, struck.length, slow.length),
      frames: [...new Set(worst.map(({ frame }) => frame))].slice(0, MOST_FRAMES),
      // No change of the game helps.
      remedies: [],
      view: 'spikes',
      subject: '',
      load: null,
    },
  ]
}

/** Frames from which the system says that it took much. */
function toldAbsences({ study, budgetNs }: Evidence): Absence[] {
  const absences: Absence[] = []
  study.frames.takenNs.forEach((ns, frame) => {
    if (ns >= LEAST_TAKEN * budgetNs) absences.push({ frame, ns })
  })
  return absences
}

/** Each sentence, or none. */
const awayWords = (away: readonly Absence[]): string[] =>
  away.length === 0
    ? []
    : [
        `The system took the thread away ${plural(away.length, 'time')}, for ${msOf(mean(away.map(({ ns }) => ns)))} on average.`,
      ]

function slowWords(slow: readonly Spike[]): string[] {
  if (slow.length === 0) return []
  const factor = mean(slow.map(({ machine }) => machine!.factor))
  return [`${plural(slow.length, 'time')} all code was slower at once, ${three(factor)} × on average.`]
}

function becauseWords(told: number, struck: number, slow: number): string {
  const reasons = [
    told > 0 ? 'the system itself says when it did not run the thread' : '',
    struck > 0 ? 'runs far longer than their kind came in all paths, in each as often as it is long' : '',
    slow > 0 ? 'runs of three paths or more were longer by the same factor in the same frame' : '',
  ]
  return reasons.filter((reason) => reason !== '').join('; ')
}

export const kind: Kind = {
  name: 'interruptions',
  order: 0,
  words: 'the machine gets in between',
  found: `${LEAST_TIMES} times or more the system says that it took the thread away for ${part(LEAST_TAKEN)} of the budget; or runs far longer than their kind come in all paths, in none more often than by its share of the running time; or all code is slower at once`,
  cost: 'what was too much',
  claims: false,
  limits: { LEAST_TAKEN, LEAST_TIMES },
  detect: interruptions,
}
