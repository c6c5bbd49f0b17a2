/** Entries of the Performance Timeline from their text, several times as quick as parsing all that they say. */
import { JsonReader, UNUSUAL } from './json-reader.ts'

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
  json.open('[')
  while (json.more('[')) {
    const from = json.at
    try {
      readUsual(json, entry)
    } catch (error) {
      if (error !== UNUSUAL) throw error
      json.back(from)
      onEntry(json.value())
      continue
    }
    onEntry(entry)
  }
}

/** @throws UNUSUAL where it is not as usual */
function readUsual(json: JsonReader, entry: Entry): void {
  entry.name = entry.entryType = ''
  entry.startTime = entry.duration = NaN
  json.open('{')
  while (json.more('{')) {
    switch (json.key()) {
      case 'name':
        entry.name = json.word()
        break
      case 'entryType':
        entry.entryType = json.word()
        break
      case 'startTime':
        entry.startTime = json.number()
        break
      case 'duration':
        entry.duration = json.number()
        break
      default:
        json.skip()
    }
  }
  // What is missing is to be told as what it is.
  if (entry.name === '' || entry.entryType === '' || Number.isNaN(entry.startTime + entry.duration))
    throw UNUSUAL
}
