/**
 * Takes of the same run laid over one another: in every frame each path takes the median of what it took in all of them. That is
 * the game; what single takes have more is the machine, and is kept as a gauge for each.
 */
import { median } from '../stats/index.ts'
import {
  endRecord,
  LIMITS,
  TAKEN_UNKNOWN,
  type AnyRecord,
  type ChunkRecord,
  type Conditions,
  type DeclareRecord,
  type GaugeDeclaration,
  type TakeRecord,
} from '../format/index.ts'
import type { Study } from '../study/index.ts'
import { excerpt } from '../take/index.ts'
import { alignedFrames, NotSameRun, type Layer } from './align.ts'
import { Retimer } from './retime.ts'
import { stretchingOf } from './stretching.ts'

/** Under `more` of a composite's conditions: the takes that it is made from. */
const MADE_OF = 'composite of'
/** The gauges that say what the machine added begin so. */
const ADDED = 'added by the machine, '
const NS_PER_MS = 1e6

export const isComposite = ({ more }: Conditions): boolean => more?.[MADE_OF] !== undefined

/** The gauges of a composite that say what the machine added, ms a frame, each with the take's name. */
export const addedGauges = (
  conditions: Conditions,
  gauges: Iterable<GaugeDeclaration>,
): { gauge: number; name: string }[] =>
  isComposite(conditions)
    ? [...gauges]
        .filter(({ name }) => name.startsWith(ADDED))
        .map(({ id, name }) => ({ gauge: id, name: name.slice(ADDED.length) }))
    : []

/** Makes the records of a composite from those of the first take: its runs, its moments, its collections. */
export class CompositeWriter {
  /** Frames that all takes have. */
  readonly frames: number
  readonly #layers: readonly Layer[]
  readonly #retimer: Retimer
  readonly #takenNs: Float64Array | null
  readonly #gauges: GaugeDeclaration[]
  #sequence = 0
  #done = 0
  #ended = false

  /** @throws NotSameRun where they are not of one run */
  constructor(layers: readonly Layer[]) {
    this.frames = alignedFrames(layers)
    this.#layers = layers
    const studies = layers.map(({ study }) => study)
    const [first] = studies as [Study]
    this.#retimer = new Retimer(first.paths, stretchingOf(studies, this.frames))
    this.#takenNs = takenTogether(studies, this.frames)
    const free = Math.max(-1, ...first.declarations.gauges.keys()) + 1
    if (free + layers.length > LIMITS.gauges)
      throw new NotSameRun(
        `the first take leaves no room for ${layers.length} gauges of what the machine added`,
      )
    this.#gauges = toldApart(layers).map((name, i) => ({
      id: free + i,
      name: `${ADDED}${name}`.slice(0, LIMITS.nameLength),
      unit: 'ms',
      variants: [],
    }))
  }

  /**
   * @param record the next of the first take
   * @param take identity of the composite
   * @returns what is to be written for it
   */
  next(record: AnyRecord, take: string): AnyRecord[] {
    if (record.record === 'take') return [this.#take(record, take), this.#declare()]
    if (this.#ended) return []
    if (record.record === 'end') return [this.#end(record.dropped, record.problems)]
    if (record.record === 'declare') return [{ ...record, sequence: ++this.#sequence }]
    const left = this.frames - this.#done
    const isPart = record.frameStartNs.length > left
    // Frames that another take does not have are left out.
    const chunk = isPart ? excerpt(record, 0, left, 0) : record
    const told = this.#chunk({ ...chunk, sequence: ++this.#sequence })
    return this.#done < this.frames ? [told] : [told, this.#end(0, [])]
  }

  #take(record: TakeRecord, take: string): TakeRecord {
    const { writer: _, conditions, ...rest } = record
    const names = toldApart(this.#layers).join(', ')
    return { ...rest, take, conditions: { ...conditions, more: { ...conditions.more, [MADE_OF]: names } } }
  }

  #declare(): DeclareRecord {
    const none = { markers: [], lanes: [], watches: [], classes: [] }
    return { record: 'declare', sequence: ++this.#sequence, ...none, gauges: this.#gauges }
  }

  #end(dropped: number, problems: ChunkRecord['problems']): AnyRecord {
    this.#ended = true
    return endRecord(++this.#sequence, dropped, problems)
  }

  #chunk(record: ChunkRecord): ChunkRecord {
    const { chunk, workNs } = this.#retimer.retime(record)
    const from = this.#done
    this.#done += workNs.length
    const frame = Uint32Array.from(workNs.keys())
    const added = this.#layers.map(({ study }, i) => ({
      ...{ gauge: this.#gauges[i]!.id, frame },
      value: workNs.map((ns, at) => (study.frames.workNs[from + at]! - ns) / NS_PER_MS),
    }))
    const takenNs = this.#takenNs?.slice(from, this.#done) ?? chunk.takenNs
    return { ...chunk, takenNs, gauges: [...chunk.gauges, ...(workNs.length === 0 ? [] : added)] }
  }
}

/** By frame the median of what the system took; null where a take does not know it. */
function takenTogether(studies: readonly Study[], count: number): Float64Array | null {
  if (studies.some(({ frames }) => frames.takenNs.includes(TAKEN_UNKNOWN))) return null
  return Float64Array.from({ length: count }, (_, frame) =>
    median(studies.map(({ frames }) => frames.takenNs[frame]!)),
  )
}

/** Names of the takes; those of one name get a number. */
function toldApart(layers: readonly Layer[]): string[] {
  const seen = new Map<string, number>()
  return layers.map(({ name }) => {
    const times = (seen.get(name) ?? 0) + 1
    seen.set(name, times)
    return times === 1 ? name : `${name} (${times})`
  })
}
