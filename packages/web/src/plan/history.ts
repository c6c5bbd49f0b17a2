/** The history of a plan: what was, what is, what was taken back. Pure. */
import type { Plan, PlanItem } from '@lapsus/core/remedy'

export interface History {
  plan: Plan
  past: readonly Plan[]
  future: readonly Plan[]
  /** What the last change was about, and when: changes of one step soon after one another are undone together. */
  step: { name: string; atMs: number }
}

const MOST_PAST = 100
/** Changes of one step within this time are one, ms. */
const TOGETHER_MS = 1_200
const NO_STEP = { name: '', atMs: 0 }

export const historyOf = (plan: Plan): History => ({ plan, past: [], future: [], step: NO_STEP })

/** @param step what is changed; empty for a change that stands alone */
export function changed(
  { plan, past, step: last }: History,
  change: Partial<Plan>,
  step: string,
  nowMs: number,
): History {
  const isSame = step !== '' && step === last.name && nowMs - last.atMs < TOGETHER_MS
  return {
    plan: { ...plan, ...change },
    past: isSame ? past : [...past, plan].slice(-MOST_PAST),
    future: [],
    step: { name: step, atMs: nowMs },
  }
}

/** One step back; the same where there is none. */
export function undone(history: History): History {
  const { plan, past, future } = history
  const before = past.at(-1)
  if (before === undefined) return history
  return { plan: before, past: past.slice(0, -1), future: [plan, ...future], step: NO_STEP }
}

/** One step forward again; the same where there is none. */
export function redone(history: History): History {
  const { plan, past, future, step } = history
  const [next, ...rest] = future
  return next === undefined ? history : { plan: next, past: [...past, plan], future: rest, step }
}

export const withItem = ({ items }: Plan, id: string, change: Partial<PlanItem>): Partial<Plan> => ({
  items: items.map((item) => (item.id === id ? { ...item, ...change } : item)),
})

export const withoutItem = ({ items }: Plan, id: string): Partial<Plan> => ({
  items: items.filter((item) => item.id !== id),
})

/** An item at another place; null where there is no such item. */
export function movedItem({ items }: Plan, id: string, to: number): Partial<Plan> | null {
  const moved = items.find((item) => item.id === id)
  if (moved === undefined) return null
  const others = items.filter((item) => item.id !== id)
  const place = Math.min(others.length, Math.max(0, to))
  return { items: [...others.slice(0, place), moved, ...others.slice(place)] }
}
