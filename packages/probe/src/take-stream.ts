/** The records of one take on their way to a sink: numbers them, and declares what they use first. */
import {
  endRecord,
  encodeRecord,
  type ChunkRecord,
  type DeclareRecord,
  type ProblemCount,
  type Stretch,
  type TakeRecord,
} from '@lapsus/core/format'
import type { Renewed, Sink } from './sinks/sink.ts'

/** A chunk before it is numbered. */
export type ChunkContent = Omit<ChunkRecord, 'record' | 'sequence' | 'stretch'>
/** Everything declared so far, each list in order of its ids. */
export type AllDeclared = Omit<DeclareRecord, 'record' | 'sequence'>

const LISTS = ['markers', 'lanes', 'gauges', 'watches', 'classes'] as const

export class TakeStream {
  readonly #sink: Sink
  readonly #declared: () => AllDeclared
  readonly #sent = { markers: 0, lanes: 0, gauges: 0, watches: 0, classes: 0 }
  /** Sent before their place in the code was known. */
  readonly #unplaced = new Set<number>()
  #take: TakeRecord
  #sequence = 1

  /** @param declared gives what has been declared so far; must only grow */
  constructor(sink: Sink, take: TakeRecord, declared: () => AllDeclared) {
    this.#sink = sink
    this.#declared = declared
    this.#take = take
    sink.put(encodeRecord(take), 0)
    sink.onBehind?.((sequence) => this.#renew(sequence))
  }

  send(content: ChunkContent, stretch: Stretch | null): void {
    this.#declareNew()
    const sequence = this.#sequence++
    this.#sink.put(encodeRecord({ ...content, record: 'chunk', sequence, stretch }), sequence)
  }

  end(dropped: number, problems: ProblemCount[]): void {
    const sequence = this.#sequence++
    this.#sink.put(encodeRecord(endRecord(sequence, dropped, problems)), sequence)
  }

  /** A take that goes on with this one, from the record after number `sequence`, which declares everything. */
  #renew(sequence: number): Renewed {
    const { take: old } = this.#take
    const take = `${old.slice(0, 50)}-${hexadecimal(8)}`
    this.#take = { ...this.#take, take, continues: old, after: sequence - 1 }
    const declare: DeclareRecord = { record: 'declare', sequence, ...this.#declared() }
    return { take, head: encodeRecord(this.#take), declared: encodeRecord(declare) }
  }

  #declareNew(): void {
    const all = this.#declared()
    const placed = [...this.#unplaced].map((id) => all.markers[id]!).filter(({ at }) => at !== null)
    if (placed.length === 0 && LISTS.every((list) => all[list].length === this.#sent[list])) return
    const sequence = this.#sequence++
    const fresh = Object.fromEntries(
      LISTS.map((list) => [list, all[list].slice(this.#sent[list])]),
    ) as unknown as AllDeclared
    for (const { id, at } of fresh.markers) if (at === null) this.#unplaced.add(id)
    for (const { id } of placed) this.#unplaced.delete(id)
    const markers = [...placed, ...fresh.markers]
    this.#sink.put(encodeRecord({ record: 'declare', sequence, ...fresh, markers }), sequence)
    for (const list of LISTS) this.#sent[list] = all[list].length
  }
}

const hexadecimal = (digits: number): string =>
  Array.from({ length: digits }, () => Math.floor(Math.random() * 16).toString(16)).join('')
