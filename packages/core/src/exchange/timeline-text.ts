/** Entries of the Performance Timeline from their text, several times as quick as parsing all that they say. */
import { JsonReader, UNUSUAL } from './json-reader.ts'
import { KeyHabits } from './key-habits.ts'

export interface Entry {
  name: string
  entryType: string
  startTime: number
  duration: number
}

/** Is given the entries one after the other: an object that is used again for the next, or whatever the platform reads. */
export type OnEntry = (entry: unknown) => void

/** Reads a whole text; null where it is not as usual, if it is JSON at all: what was given then does not count. */
export function readEntries(bytes: Uint8Array, onEntry: OnEntry): { timeOrigin?: unknown } | null {
  try {
    const json = new JsonReader(bytes)
    const told: { timeOrigin?: unknown } = {}
    if (json.isList) readList(json, onEntry)
    else if (!readHolder(json, onEntry, told)) return null
    return json.isAtEnd ? told : null
  } catch (error) {
    if (error === UNUSUAL || error instanceof SyntaxError) return null
    throw error
  }
}

/** @returns whether it has entries */
function readHolder(json: JsonReader, onEntry: OnEntry, told: { timeOrigin?: unknown }): boolean {
  let hasEntries = false
  json.open('{')
  while (json.more('{')) {
    const key = json.key()
    if (key === 'timeOrigin') told.timeOrigin = json.value()
    else if (key !== 'entries') json.skip()
    // The last of several counts, to whoever parses it.
    else if (hasEntries) throw UNUSUAL
    else {
      hasEntries = true
      readList(json, onEntry)
    }
  }
  return hasEntries
}

function readList(json: JsonReader, onEntry: OnEntry): void {
  const entry: Entry = { name: '', entryType: '', startTime: NaN, duration: NaN }
  const keys = new KeyHabits(FIELDS)
  json.open('[')
  while (json.more('[')) {
    const from = json.at
    try {
      readUsual(json, keys, entry)
    } catch (error) {
      if (error !== UNUSUAL) throw error
      json.back(from)
      onEntry(json.value())
      continue
    }
    onEntry(entry)
  }
}

const NAME = 0
const TYPE = 1
const START = 2
const DURATION = 3
const FIELDS = new Map([
  ['name', NAME],
  ['entryType', TYPE],
  ['startTime', START],
  ['duration', DURATION],
])

/** @throws UNUSUAL where it is not as usual */
function readUsual(json: JsonReader, keys: KeyHabits, entry: Entry): void {
  entry.name = entry.entryType = ''
  entry.startTime = entry.duration = NaN
  json.open('{')
  for (let i = 0; json.more('{'); i++)
    switch (keys.next(json, i)) {
      case NAME:
        entry.name = json.word()
        break
      case TYPE:
        entry.entryType = json.word()
        break
      case START:
        entry.startTime = json.number()
        break
      case DURATION:
        entry.duration = json.number()
    }
  // What is missing is to be told as what it is.
  if (entry.name === '' || entry.entryType === '' || Number.isNaN(entry.startTime + entry.duration))
    throw UNUSUAL
}
