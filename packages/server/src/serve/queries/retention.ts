/** Takes that leave by themselves, and how much room all of them take. */
import type { StorageReport } from '@lapsus/api'
import { Op } from 'sequelize'
import type { Retention } from '../../config.ts'
import type { Store } from '../../store/store.ts'

const DAY_MS = 24 * 3600 * 1000

interface Leaving {
  id: string
  started: Date
  storedBytes: number
  isKept: boolean
}

/**
 * Which takes the rule lets go, oldest first: those beyond the age, then the oldest while all take more than the
 * room there is. Kept ones never, nor does their room count as theirs to free.
 */
export function leavingBy(rule: Retention, takes: readonly Leaving[], nowMs: number): string[] {
  const oldestFirst = [...takes].sort((a, b) => a.started.getTime() - b.started.getTime())
  let bytes = takes.reduce((sum, take) => sum + take.storedBytes, 0)
  const leaving: string[] = []
  for (const { id, started, storedBytes, isKept } of oldestFirst) {
    if (isKept) continue
    const isOld = rule.days !== null && nowMs - started.getTime() > rule.days * DAY_MS
    const isTooMuch = rule.bytes !== null && bytes > rule.bytes
    if (!isOld && !isTooMuch) continue
    leaving.push(id)
    bytes -= storedBytes
  }
  return leaving
}

/** Removes for good what the rule lets go. @returns identities of the takes that left */
export async function applyRetention(store: Store, rule: Retention): Promise<string[]> {
  if (rule.days === null && rule.bytes === null) return []
  const leaving = leavingBy(rule, await endedTakes(store), Date.now())
  // One by one: rows of a take are many, and recordings go on meanwhile.
  for (const id of leaving) await store.takes.destroy({ where: { id } })
  return leaving
}

export async function storageReport(store: Store, rule: Retention): Promise<StorageReport> {
  const takes = await endedTakes(store)
  const bytesOf = (some: Leaving[]) => some.reduce((sum, { storedBytes }) => sum + storedBytes, 0)
  const kept = takes.filter(({ isKept }) => isKept)
  return {
    takes: takes.length,
    bytes: bytesOf(takes),
    keptTakes: kept.length,
    keptBytes: bytesOf(kept),
    keepDays: rule.days,
    keepBytes: rule.bytes,
  }
}

/** A take with a tag, or with a plan made from it, is kept. One that is being recorded is not looked at. */
async function endedTakes(store: Store): Promise<Leaving[]> {
  const planned = await store.plans.findAll({
    attributes: ['takeId'],
    where: { takeId: { [Op.ne]: null }, deletedAt: null },
    raw: true,
  })
  const withPlan = new Set(planned.map(({ takeId }) => takeId))
  const rows = await store.takes.findAll({
    attributes: ['id', 'started', 'storedBytes', 'tags'],
    where: { state: { [Op.ne]: 'recording' } },
  })
  return rows.map(({ id, started, storedBytes, tags }) => ({
    id,
    started,
    storedBytes: Number(storedBytes),
    isKept: (tags !== null && tags !== '[]') || withPlan.has(id),
  }))
}
