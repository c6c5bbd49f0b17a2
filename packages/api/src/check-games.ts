/** Checks of what is said of a game as a whole. Failures name the field. */
import { asFields, bad, finite, list, text, texts } from '@lapsus/core/format'
import type { Devices, HistoryLine } from '@lapsus/core/history'
import { freeText, MOST } from './field-checks.ts'

const isNumbers = (value: unknown, length: number): boolean =>
  Array.isArray(value) &&
  value.length === length &&
  value.every((one) => one === null || Number.isFinite(one))

export function checkHistory(value: unknown): HistoryLine[] {
  const lines = list(asFields(value, 'history'), 'lines', MOST)
  for (const line of lines) {
    text(line, 'about')
    finite(line, 'target', 0)
    const takes = list(line, 'takes', MOST)
    for (const take of takes) for (const field of ['id', 'started', 'version']) text(take, field)
    for (const figure of list(line, 'figures', MOST))
      if (!isNumbers(figure['values'], takes.length))
        throw bad('values', 'a number for each take', figure['values'])
    for (const path of list(line, 'paths', MOST)) {
      texts(path, 'path', MOST)
      for (const field of ['ms', 'runs'])
        if (!isNumbers(path[field], takes.length)) throw bad(field, 'a number for each take', path[field])
    }
    for (const group of list(line, 'groups', MOST)) {
      freeText(group, 'group')
      if (!isNumbers(group['ms'], takes.length)) throw bad('ms', 'a number for each take', group['ms'])
      if (group['budgetMs'] !== null) finite(group, 'budgetMs', 0)
    }
    for (const change of list(line, 'changes', MOST)) {
      texts(change, 'name', MOST)
      for (const field of ['at', 'before', 'after', 'low', 'high', 'chance']) finite(change, field)
    }
    for (const coming of [...list(line, 'appeared', MOST), ...list(line, 'vanished', MOST)])
      texts(coming, 'path', MOST)
  }
  return lines as unknown as HistoryLine[]
}

export function checkDevices(value: unknown): Devices {
  const fields = asFields(value, 'devices')
  for (const row of list(fields, 'rows', MOST)) {
    for (const field of ['device', 'latest']) text(row, field)
    freeText(row, 'about')
    for (const field of ['takes', 'meanMs', 'p95Ms', 'collectionsPer1000']) finite(row, field)
    for (const load of list(row, 'loads', MOST)) text(load, 'name')
  }
  for (const field of ['targets', 'lowest'])
    if (!Array.isArray(fields[field])) throw bad(field, 'an array', fields[field])
  return value as Devices
}
