/** Keys of objects that are all written alike, such as the spans of a file: which comes next is mostly known. */
import type { JsonReader, Stretch } from './json-reader.ts'

/** A key of no interest, which has been passed with its value. */
const PASSED = -1

/** The key that came last at one place. */
interface Habit {
  field: number
  /** With its quotes and colon. */
  stretch: Stretch
  /** The same with a value of no interest, which is mostly the same; null where it is of interest. */
  withValue: Stretch | null
}

export class KeyHabits {
  readonly #fields: ReadonlyMap<string, number>
  readonly #habits: Habit[] = []

  /** @param fields numbers, from 0, of the keys that are of interest: those are told apart faster than texts */
  constructor(fields: ReadonlyMap<string, number>) {
    this.#fields = fields
  }

  /** Passes the key at such a place in its object. @returns its number; PASSED where its value has been passed, too */
  next(json: JsonReader, index: number): number {
    const habit = this.#habits[index]
    if (habit?.withValue && json.passesFieldAgain(habit.withValue)) return PASSED
    const from = json.at
    if (habit !== undefined && json.passesAgain(habit.stretch)) {
      if (habit.field === PASSED) this.#skip(json, habit, from)
      return habit.field
    }
    const field = this.#fields.get(json.key()) ?? PASSED
    const seen: Habit = { field, stretch: json.since(from), withValue: null }
    if (field === PASSED) this.#skip(json, seen, from)
    this.#habits[index] = seen
    return field
  }

  #skip(json: JsonReader, habit: Habit, from: number): void {
    json.skip()
    habit.withValue = json.since(from)
  }
}
