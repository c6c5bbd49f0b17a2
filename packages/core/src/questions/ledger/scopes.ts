/** Sets of frames that a ledger can be about. */
import { typicalFrames, type Evidence } from '../../detect/index.ts'
import { DETAIL_SUMS, type LedgerBy, type LedgerRow } from '../../rollup/index.ts'
import { sum } from '../../stats/index.ts'
import { ledgerOfFrames } from '../../study/index.ts'

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

/** What a set of frames has more than another, each as the mean of a frame: may be negative. */
export function ledgerDifference(
  more: LedgerRow[],
  moreFrames: number,
  less: LedgerRow[],
  lessFrames: number,
): LedgerRow[] {
  const lessOf = new Map(less.map((row) => [row.key, row]))
  const moreOf = new Map(more.map((row) => [row.key, row]))
  const difference = (a: number | undefined, b: number | undefined) =>
    (a ?? 0) / Math.max(1, moreFrames) - (b ?? 0) / Math.max(1, lessFrames)
  return [...new Set([...moreOf.keys(), ...lessOf.keys()])]
    .map((key): LedgerRow => {
      const [a, b] = [moreOf.get(key), lessOf.get(key)]
      const sums = ['calls', 'selfNs', 'totalNs', ...DETAIL_SUMS] as const
      const differences = Object.fromEntries(sums.map((sum) => [sum, difference(a?.[sum], b?.[sum])]))
      return {
        ...(differences as Record<(typeof sums)[number], number>),
        key,
        frames: a?.frames ?? 0,
        selfP99Ns: (a?.selfP99Ns ?? 0) - (b?.selfP99Ns ?? 0),
        worstSelfNs: a?.worstSelfNs ?? 0,
        worstFrame: a?.worstFrame ?? b!.worstFrame,
      }
    })
    .sort((a, b) => b.selfNs - a.selfNs || a.key - b.key)
}
