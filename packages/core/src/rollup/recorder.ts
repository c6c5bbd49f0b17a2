/**
 * Takes the recorder's estimated share out of a ledger. A span costs `spanNs`: of it `insideNs` lies
 * between its own two clock reads and shows as its self time; the rest shows as self time of its parent.
 */
import type { RecorderFigures } from '../format/index.ts'
import { NO_PATH, recorderCost, type PathTable } from '../take/index.ts'
import type { LedgerRow } from './ledger.ts'
import { countsInTotal, ledgerKey, type LedgerBy, type Rollup } from './rollup.ts'

interface Share {
  selfNs: number
  totalNs: number
}

/** The same rows less the recorder's share, never below 0. Percentiles lose the mean share of a frame. */
export function withoutRecorder(
  rows: LedgerRow[],
  rollup: Rollup,
  by: LedgerBy,
  paths: PathTable,
  figures: RecorderFigures,
): LedgerRow[] {
  const shares = shareOfPaths(rollup, paths, figures)
  const ofKey = new Map<number, Share>()
  shares.forEach((share, path) => {
    const key = ledgerKey(paths.get(path), by)
    const counts = countsInTotal(paths.get(path), by)
    const sum = ofKey.get(key) ?? { selfNs: 0, totalNs: 0 }
    ofKey.set(key, { selfNs: sum.selfNs + share.selfNs, totalNs: sum.totalNs + (counts ? share.totalNs : 0) })
  })
  return rows.map((row) => {
    const share = ofKey.get(row.key)!
    const ofFrame = share.selfNs / Math.max(1, row.frames)
    const less = (ns: number, by: number) => Math.max(0, ns - by)
    return {
      ...row,
      selfNs: less(row.selfNs, share.selfNs),
      totalNs: less(row.totalNs, share.totalNs),
      selfP99Ns: less(row.selfP99Ns, ofFrame),
      worstSelfNs: less(row.worstSelfNs, ofFrame),
    }
  })
}

/** By path: what the recorder added to it. */
function shareOfPaths(rollup: Rollup, paths: PathTable, figures: RecorderFigures): Map<number, Share> {
  const { insideNs, outsideNs } = recorderCost(figures)
  const { key, calls } = rollup.paths
  const shares = new Map<number, Share>()
  for (let row = 0; row < key.length; row++) shares.set(key[row]!, { selfNs: 0, totalNs: 0 })
  // Children have higher numbers than their parents, so that each is complete before it is passed on.
  for (let row = key.length - 1; row >= 0; row--) {
    const path = key[row]!
    const own = shares.get(path)!
    own.selfNs += calls[row]! * insideNs
    own.totalNs += calls[row]! * insideNs
    const { parent } = paths.get(path)
    const above = parent === NO_PATH ? undefined : shares.get(parent)
    if (above === undefined) continue
    above.selfNs += calls[row]! * outsideNs
    above.totalNs += calls[row]! * outsideNs + own.totalNs
  }
  return shares
}
