/**
 * News come in lumps of half a second; the strip moves steadily. A play head follows what has arrived some
 * way behind, running a little faster or slower to keep the distance. Pure; times in ns.
 */

/** Distance kept: longer than a lump and the way to get it. */
const BEHIND_NS = 1.1e9
/** A play head further off than this jumps. */
const JUMP_NS = 3e9
/** How strongly the speed answers to a wrong distance, per second. */
const CORRECTION = 0.5

/**
 * @param headNs where the play head was; NaN at first
 * @param passedNs real time since then
 * @param latestNs end of the latest frame
 * @returns where it is now; never beyond what has arrived, never back
 */
export function movePlayHead(headNs: number, passedNs: number, latestNs: number): number {
  const aimNs = latestNs - BEHIND_NS
  if (Number.isNaN(headNs) || Math.abs(aimNs - headNs) > JUMP_NS) return Math.max(0, aimNs)
  const speed = Math.max(0, 1 + ((aimNs - headNs) / 1e9) * CORRECTION)
  return Math.min(latestNs, headNs + passedNs * speed)
}
