/** When a part that ended by itself is started again. */

/** So many ends within the window, and it is not tried any more. */
export const MOST_ENDS = 5
export const WINDOW_MS = 60_000
const FIRST_PAUSE_MS = 500
const LONGEST_PAUSE_MS = 8_000

/**
 * @param endedMs times of the part's ends so far, the last one included, ascending
 * @returns ms to wait before it is started again; null when it is not
 */
export function pauseAfter(endedMs) {
  const last = endedMs.at(-1)
  const recent = endedMs.filter((ms) => last - ms < WINDOW_MS).length
  if (recent >= MOST_ENDS) return null
  return Math.min(LONGEST_PAUSE_MS, FIRST_PAUSE_MS * 2 ** (recent - 1))
}
