/** How right a forecast was: figures before, as forecast, and as recorded with the fix. */
import type { Figures } from '../remedy/index.ts'

export interface ProofLine {
  id: string
  words: string
  unit: 'ms' | 'frames' | 'count' | 'bytes'
  before: number | null
  forecast: number | null
  after: number | null
  /** Forecast less what was recorded; null where one is not known. */
  error: number | null
  /** Within the aim for forecasts; null where there is none for the figure. */
  near: boolean | null
}

/** The aim: within 15 %, or 0.3 ms. */
export const NEAR_SHARE = 0.15
export const NEAR_MS = 0.3

export const isNear = (forecastMs: number, afterMs: number): boolean =>
  Math.abs(forecastMs - afterMs) <= Math.max(NEAR_MS, NEAR_SHARE * afterMs)

type Picked = Pick<ProofLine, 'id' | 'words' | 'unit'> & {
  pick(figures: Figures): number | null
  judged?: true
}

const LINES: Picked[] = [
  { id: 'p50', words: 'work p50', unit: 'ms', pick: ({ frames }) => frames.work.p50, judged: true },
  { id: 'p95', words: 'work p95', unit: 'ms', pick: ({ frames }) => frames.work.p95, judged: true },
  { id: 'p99', words: 'work p99', unit: 'ms', pick: ({ frames }) => frames.work.p99 },
  { id: 'worst', words: 'worst', unit: 'ms', pick: ({ frames }) => frames.work.worst },
  {
    id: 'over',
    words: 'frames over, of 1,000',
    unit: 'frames',
    pick: ({ frames }) => frames.overShare * 1000,
  },
  {
    id: 'late',
    words: 'frames late, of 1,000',
    unit: 'frames',
    pick: ({ frames }) => (frames.frames === 0 ? 0 : (frames.late / frames.frames) * 1000),
  },
  {
    id: 'collections',
    words: 'collections, of 1,000 frames',
    unit: 'count',
    pick: (figures) => figures.collectionsPer1000,
  },
  { id: 'bytes', words: 'allocated a frame', unit: 'bytes', pick: (figures) => figures.bytesPerFrame },
]

/** @param forecast null where nothing was forecast */
export function proofLines(before: Figures, forecast: Figures | null, after: Figures): ProofLine[] {
  return LINES.map(({ pick, judged, ...line }) => {
    const [was, said, is] = [pick(before), forecast === null ? null : pick(forecast), pick(after)]
    return {
      ...line,
      before: was,
      forecast: said,
      after: is,
      error: said === null || is === null ? null : said - is,
      near: judged === true && said !== null && is !== null ? isNear(said, is) : null,
    }
  })
}

/** Both went the other way, by more than the machine's own unrest. */
export const hasWrongSign = ({
  before,
  forecast,
  after,
}: Pick<ProofLine, 'before' | 'forecast' | 'after'>): boolean =>
  before !== null &&
  forecast !== null &&
  after !== null &&
  Math.abs(after - before) > NEAR_MS &&
  Math.abs(forecast - before) > NEAR_MS &&
  (after - before) * (forecast - before) < 0
