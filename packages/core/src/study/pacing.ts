/** How frames are paced: by nothing, by a limit, or by the refreshes of a display. */
import { median } from '../stats/index.ts'

export const PACINGS = ['uncapped', 'capped', 'refresh-locked'] as const

export interface Pacing {
  pacing: (typeof PACINGS)[number]
  /** Length of a refresh, or of the limit, ms; null when uncapped. */
  periodMs: number | null
  /** Share of the frames whose length is what the pacing says. */
  share: number
  /** Refreshes missed: the sum of ceil(duration / refresh) − 1; null unless locked to refreshes. */
  missed: number | null
}

/** Refreshes a second of displays that exist. */
const REFRESH_RATES = [24, 25, 30, 48, 50, 60, 72, 75, 90, 100, 120, 144, 165, 240]
/** A duration belongs to a multiple of the period when it is this near to it, in periods. */
const NEAR = 0.06
const MOST = 0.8
/** A game sleeps to its target when so few frames are shorter than so much of it, and so many no longer than so much more. */
const SHORTER = 0.05
const LEAST_SLEPT = 0.9
const AS_LONG = 0.5
const MOST_SLEPT = 1.15
/** Fewer frames tell nothing. */
const LEAST_FRAMES = 30

/**
 * Infers the pacing from the clusters of the durations. A rate is taken for a display's refresh when most
 * durations are whole multiples of it and some are longer than one; when all are alike it is a limit. So it is where
 * hardly a frame is shorter than the game’s target and most are about as long: a game that sleeps is woken unevenly.
 * @param targetMs a frame of the game’s target
 */
export function pacingOf(durationNs: Float64Array, targetMs = NaN): Pacing {
  const none: Pacing = { pacing: 'uncapped', periodMs: null, share: 0, missed: null }
  if (durationNs.length < LEAST_FRAMES) return none
  const typicalMs = median(durationNs) / 1e6
  let best: { periodMs: number; share: number; longer: number } | null = null
  for (const rate of REFRESH_RATES) {
    const periodMs = 1000 / rate
    // A period much shorter than the frames has a multiple near anything.
    if (typicalMs < periodMs * (1 - NEAR) || typicalMs > periodMs * 2.5) continue
    let near = 0
    let longer = 0
    for (const ns of durationNs) {
      const periods = ns / 1e6 / periodMs
      if (Math.abs(periods - Math.round(periods)) > NEAR || Math.round(periods) < 1) continue
      near++
      if (Math.round(periods) > 1) longer++
    }
    const share = near / durationNs.length
    if (share >= MOST && (best === null || share > best.share)) best = { periodMs, share, longer }
  }
  if (best !== null && best.longer > 0) {
    const { periodMs, share } = best
    let missed = 0
    // A frame a little longer than a refresh did not miss the next.
    for (const ns of durationNs) missed += Math.max(0, Math.ceil(ns / 1e6 / periodMs - NEAR) - 1)
    return { pacing: 'refresh-locked', periodMs, share, missed }
  }
  let alike = 0
  for (const ns of durationNs) if (Math.abs(ns / 1e6 / typicalMs - 1) <= NEAR) alike++
  const share = alike / durationNs.length
  if (share >= MOST) return { pacing: 'capped', periodMs: typicalMs, share, missed: null }
  return sleepsTo(targetMs, durationNs) ?? none
}

function sleepsTo(targetMs: number, durationNs: Float64Array): Pacing | null {
  let shorter = 0
  let asLong = 0
  for (const ns of durationNs) {
    const targets = ns / 1e6 / targetMs
    if (targets < LEAST_SLEPT) shorter++
    else if (targets <= MOST_SLEPT) asLong++
  }
  const share = asLong / durationNs.length
  if (!(shorter <= SHORTER * durationNs.length && share >= AS_LONG)) return null
  return { pacing: 'capped', periodMs: targetMs, share, missed: null }
}
