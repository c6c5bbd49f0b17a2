/** Entries of the Performance Timeline from their text, several times as quick as parsing all that they say. */
import { JsonReader, UNUSUAL } from './json-reader.ts'

export interface Entry {
  name: string
  entryType: string
  startTime: number
  duration: number
}

/** What is used of the entries, as if all had been parsed; null where the text is not as usual, if it is JSON at all. */
export function usualEntries(bytes: Uint8Array): { entries: unknown[]; timeOrigin?: unknown } | null {
  try {
    const json = new JsonReader(bytes)
    if (json.isList) return atTheEnd(json, { entries: listOfEntries(json) })
    let entries: unknown[] | null = null
    let timeOrigin: unknown
    json.open('{')
    while (json.more('{')) {
      const key = json.key()
      if (key === 'timeOrigin') timeOrigin = json.value()
      else if (key !== 'entries') json.skip()
      // The last of several counts, to whoever parses it.
      else if (entries !== null) throw UNUSUAL
      else entries = listOfEntries(json)
    }
    return entries === null ? null : atTheEnd(json, { entries, timeOrigin })
  } catch (error) {
    if (error === UNUSUAL || error instanceof SyntaxError) return null
    throw error
  }
}

function atTheEnd<T>(json: JsonReader, value: T): T {
  if (!json.isAtEnd) throw UNUSUAL
  return value
}

function listOfEntries(json: JsonReader): unknown[] {
  const entries: unknown[] = []
  json.open('[')
  while (json.more('[')) {
    const from = json.at
    try {
      entries.push(usualEntry(json))
    } catch (error) {
      if (error !== UNUSUAL) throw error
      json.back(from)
      entries.push(json.value())
    }
  }
  return entries
}

function usualEntry(json: JsonReader): Entry {
  const entry = { name: '', entryType: '', startTime: NaN, duration: NaN }
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
  return entry
}
