import { collectionKinds, type CollectionKind, type Evidence } from '../../detect/index.ts'
import type { CollectionReport } from './tells.ts'

const inMs = (ns: number): number => ns / 1e6

/** The most of one kind's blame that is worth naming. */
const MOST_BLAMED = 12

export const collectionReports = (evidence: Evidence, kinds: CollectionKind[] = collectionKinds(evidence)) =>
  kinds.map((kind): CollectionReport => ({
    kind: kind.kind,
    count: kind.count,
    perMinute: kind.perMinute,
    totalMs: inMs(kind.totalNs),
    medianMs: inMs(kind.medianNs),
    worstMs: inMs(kind.worstNs),
    worstFrame: kind.worstFrame + evidence.study.firstFrame,
    everyMs: kind.everyMs,
    blame: kind.blame
      .slice(0, MOST_BLAMED)
      .map(({ path, share }) => ({ pathId: path, path: evidence.names(path), share })),
  }))
