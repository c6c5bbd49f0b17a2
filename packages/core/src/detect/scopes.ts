/** Sets of frames that a ledger can be about. */
import { sum } from '../stats/index.ts'
import { ledgerDifference, ledgerOfFrames } from '../study/index.ts'
import type { LedgerBy, LedgerRow } from '../rollup/index.ts'
import { typicalFrames, type Evidence } from './evidence.ts'

export const LEDGER_SCOPES = ['chosen', 'spikes', 'typical', 'difference'] as const
/** `chosen`: all frames; `difference`: spikes less typical frames, as means of a frame. */
export type LedgerScope = (typeof LEDGER_SCOPES)[number]

export interface ScopedLedger {
  rows: LedgerRow[]
  /** What sums are to be divided by for the mean of a frame: 1 for a difference, whose rows are means already. */
  frames: number
  /** Time of these frames, ms. */
  durationMs: number
}

export function scopedLedger(evidence: Evidence, scope: LedgerScope, by: LedgerBy): ScopedLedger {
  const { study } = evidence
  const of = (use: Uint8Array): ScopedLedger => ({
    rows: ledgerOfFrames(study, use, by),
    frames: sum(use),
    durationMs: study.frames.durationNs.reduce((sum, ns, frame) => sum + ns * use[frame]!, 0) / 1e6,
  })
  if (scope === 'chosen') return of(new Uint8Array(evidence.count).fill(1))
  if (scope === 'spikes') return of(spikeFrames(evidence))
  if (scope === 'typical') return of(typicalFrames(evidence))
  const spikes = of(spikeFrames(evidence))
  const typical = of(typicalFrames(evidence))
  return {
    rows: ledgerDifference(spikes.rows, spikes.frames, typical.rows, typical.frames),
    frames: spikes.frames === 0 ? 0 : 1,
    durationMs: spikes.durationMs / Math.max(1, spikes.frames),
  }
}

/** The frames of all episodes. */
function spikeFrames({ spikes, count }: Evidence): Uint8Array {
  const use = new Uint8Array(count)
  for (const { from, to } of spikes) use.fill(1, from, to + 1)
  return use
}
