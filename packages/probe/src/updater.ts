import type { UpdaterSamples } from '@lapsus/core/format'
import { Columns } from './growing-columns.ts'

/** A reason for which an instance need not be updated now. */
const IDLE_REASONS = ['unseen', 'far', 'asleep'] as const
export type IdleReason = (typeof IDLE_REASONS)[number]

/** What all updaters of one class come to. */
export class UpdaterGroup {
  readonly #totals = { instances: 0, enabled: 0, unseen: 0, far: 0, asleep: 0, everyMs: 0 }
  readonly #noted = new Columns(['frame', 'instances', 'enabled', 'unseen', 'far', 'asleep', 'everyMs'])
  #used = false
  #changed = false

  /** Counts an updater's contribution in (`sign` 1) or out (−1). */
  count(updater: Readonly<UpdaterState>, sign: 1 | -1): void {
    const totals = this.#totals
    totals.instances += sign
    if (updater.enabled) {
      totals.enabled += sign
      totals.everyMs += sign * updater.everyMs
      for (const reason of IDLE_REASONS) if (updater[reason]) totals[reason] += sign
    }
    this.#changed = this.#used = true
  }

  /** @returns whether there was something to note */
  note(frame: number): boolean {
    if (!this.#changed) return false
    this.#changed = false
    const { instances, enabled, unseen, far, asleep, everyMs } = this.#totals
    this.#noted.push(
      frame,
      instances,
      enabled,
      unseen,
      far,
      asleep,
      enabled > 0 ? Math.max(0, everyMs / enabled) : 0,
    )
    return true
  }

  take(id: number): UpdaterSamples[] {
    const noted = this.#noted
    // Each chunk begins with the state: those before it may not have been kept.
    this.#changed = this.#used
    if (noted.isEmpty) return []
    const samples: UpdaterSamples = {
      class: id,
      frame: noted.uint('frame'),
      instances: noted.uint('instances'),
      enabled: noted.uint('enabled'),
      unseen: noted.uint('unseen'),
      far: noted.uint('far'),
      asleep: noted.uint('asleep'),
      everyMs: noted.float('everyMs'),
    }
    noted.clear()
    return [samples]
  }
}

interface UpdaterState extends Record<IdleReason, boolean> {
  enabled: boolean
  everyMs: number
}

/** Longer than any game: sums of so many stay exact. */
const LONGEST_MS = 1e9

/** What is no interval counts as every frame. */
const goodInterval = (everyMs: unknown): number =>
  typeof everyMs === 'number' && everyMs >= 0 && everyMs <= LONGEST_MS ? everyMs : 0

/** One thing that the loop updates. */
export class Updater {
  readonly #group: UpdaterGroup
  readonly #state: UpdaterState
  #disposed = false

  /** @param everyMs its interval; 0 is every frame */
  constructor(group: UpdaterGroup, everyMs: number) {
    this.#group = group
    this.#state = { enabled: true, everyMs: goodInterval(everyMs), unseen: false, far: false, asleep: false }
    group.count(this.#state, 1)
  }

  enable(enabled: boolean): void {
    this.#set('enabled', Boolean(enabled))
  }

  /** Changes its interval, ms; 0 is every frame. */
  every(everyMs: number): void {
    this.#set('everyMs', goodInterval(everyMs))
  }

  /** Says that for this reason it need not be updated, or that it must again. */
  idle(reason: IdleReason, holds: boolean): void {
    if (IDLE_REASONS.includes(reason)) this.#set(reason, Boolean(holds))
  }

  dispose(): void {
    if (this.#disposed) return
    this.#disposed = true
    this.#group.count(this.#state, -1)
  }

  #set<K extends keyof UpdaterState>(field: K, value: UpdaterState[K]): void {
    if (this.#disposed || this.#state[field] === value) return
    this.#group.count(this.#state, -1)
    this.#state[field] = value
    this.#group.count(this.#state, 1)
  }
}
