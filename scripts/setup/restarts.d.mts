export const MOST_ENDS: number
export const WINDOW_MS: number
export function pauseAfter(endedMs: readonly number[]): number | null
