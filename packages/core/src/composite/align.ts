/** Whether takes are of the same run, frame by frame: then they differ only by the machine. */
import { loadSources } from '../detect/index.ts'
import { RECORDER_GROUP } from '../format/index.ts'
import { sum } from '../stats/index.ts'
import { frameCount, pathNames, type Study } from '../study/index.ts'
import { MAIN_LANE } from '../take/index.ts'
import { amount, plural } from '../words/index.ts'

/** A take, and what it is called where it is told from the others. */
export interface Layer {
  name: string
  study: Study
}

/** Takes that cannot be laid over one another; the message says why. */
export class NotSameRun extends Error {}

/** In so many frames something may run more or less often: a late frame catches up. */
const UNLIKE_SHARE = 0.05
/** They part for good where most of so many frames are unlike. */
const LASTING_FRAMES = 60

/** Something that the same run has the same of in every frame. */
interface Counted {
  /** How it reads after a number: `more letters`, `more runs of tally.text`. */
  words(difference: number): string
  values: ArrayLike<number>
}

/**
 * @returns how many frames all have: those after the shortest take's end are left out
 * @throws NotSameRun naming the take that differs, from which frame on, and by what
 */
export function alignedFrames(layers: readonly Layer[]): number {
  if (layers.length < 2) throw new NotSameRun('two takes are needed at least, of the same run')
  const empty = layers.find(({ study }) => frameCount(study) === 0)
  if (empty !== undefined) throw new NotSameRun(`${empty.name} has no frames`)
  const count = Math.min(...layers.map(({ study }) => frameCount(study)))
  const [first, ...others] = layers as [Layer, ...Layer[]]
  const known = countedOf(first.study, count)
  for (const other of others) {
    const found = countedOf(other.study, count)
    if (![...known.keys()].some((key) => key.startsWith(PATH) && found.has(key)))
      throw new NotSameRun(`${other.name} has no marker in common with ${first.name}`)
    const unlike = unlikeFrames(known, found, otherSteps(first.study, other.study, count))
    if (sum(unlike) > UNLIKE_SHARE * count) throw new NotSameRun(whereTheyPart(other, known, found, unlike))
  }
  return count
}

const PATH = 'path '

function countedOf(study: Study, count: number): Map<string, Counted> {
  const found = new Map<string, Counted>()
  for (const { name, values, relative } of loadSources(study)) {
    if (relative) continue
    const words = (difference: number) => `${amount(Math.abs(difference))} ${moreOrFewer(difference)} ${name}`
    found.set(`load ${name}`, { values, words })
  }
  for (const [id, course] of study.courses) {
    const { lane, kind, marker } = study.paths.get(id)
    // Collections and the recorder's sending come when they come, and waits as often as the machine is late.
    if (lane !== MAIN_LANE || kind !== 'work') continue
    if (study.declarations.marker(marker).group === RECORDER_GROUP) continue
    const calls = new Float64Array(count)
    course.frame.forEach((frame, cell) => frame < count && (calls[frame] = course.calls[cell]!))
    const names = pathNames(study, id)
    const words = (difference: number) =>
      `${plural(Math.abs(difference), 'run')} ${moreOrFewer(difference)} of ${names.at(-1)}`
    found.set(PATH + names.join('\n'), { values: calls, words })
  }
  const moments = new Map<string, Float64Array>()
  for (const { name, frame } of study.moments) {
    if (frame >= count) continue
    const values = moments.get(name) ?? new Float64Array(count)
    values[frame]!++
    moments.set(name, values)
  }
  for (const [name, values] of moments) {
    const words = (difference: number) =>
      `the moment ${name} ${difference > 0 ? 'where it was not' : 'no more'}`
    found.set(`moment ${name}`, { values, words })
  }
  return found
}

const moreOrFewer = (difference: number) => (difference > 0 ? 'more' : 'fewer')

/** Both are unknown, or the same. */
const isSame = (one: number, other: number) => one === other || (Number.isNaN(one) && Number.isNaN(other))

/** Frames with another number of fixed steps: a later frame has more, and its paths run as often as that says. */
const otherSteps = (one: Study, other: Study, count: number): Uint8Array =>
  Uint8Array.from({ length: count }, (_, frame) =>
    one.frames.steps[frame] === other.frames.steps[frame] ? 0 : 1,
  )

/** @param excused 1 for frames in which paths may run more or less often */
function unlikeFrames(
  known: ReadonlyMap<string, Counted>,
  found: ReadonlyMap<string, Counted>,
  excused: Uint8Array,
): Uint8Array {
  const count = excused.length
  const unlike = new Uint8Array(count)
  for (const key of new Set([...known.keys(), ...found.keys()])) {
    const [one, other] = [known.get(key)?.values, found.get(key)?.values]
    for (let frame = 0; frame < count; frame++)
      if (!isSame(one?.[frame] ?? 0, other?.[frame] ?? 0) && !(excused[frame] === 1 && key.startsWith(PATH)))
        unlike[frame] = 1
  }
  return unlike
}

function whereTheyPart(
  { name }: Layer,
  known: ReadonlyMap<string, Counted>,
  found: ReadonlyMap<string, Counted>,
  unlike: Uint8Array,
): string {
  const from = partingFrame(unlike)
  const differences = [...new Set([...known.keys(), ...found.keys()])].flatMap((key) => {
    const [one, other] = [known.get(key)?.values[from] ?? 0, found.get(key)?.values[from] ?? 0]
    return isSame(one, other) ? [] : [{ key, words: (found.get(key) ?? known.get(key))!.words(other - one) }]
  })
  // A load that differs explains the runs that do.
  const [told] = differences.sort((a, b) => a.key.localeCompare(b.key))
  const share = Math.round((100 * sum(unlike)) / unlike.length)
  return (
    `these are not the same run: from frame ${from} on ${name} has ${told?.words ?? 'other runs'}` +
    `, and ${share} % of the frames are unlike`
  )
}

function partingFrame(unlike: Uint8Array): number {
  let within = 0
  for (let end = 0; end < unlike.length; end++) {
    within += unlike[end]!
    if (end >= LASTING_FRAMES) within -= unlike[end - LASTING_FRAMES]!
    const from = Math.max(0, end - LASTING_FRAMES + 1)
    if (2 * within > LASTING_FRAMES) return unlike.indexOf(1, from)
  }
  return Math.max(0, unlike.indexOf(1))
}
