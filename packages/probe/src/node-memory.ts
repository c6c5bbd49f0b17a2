/** Memory as Node tells it: the heap from its statistics, collections from its performance observer. */
import { constants, PerformanceObserver, type PerformanceEntry } from 'node:perf_hooks'
import { getHeapStatistics } from 'node:v8'
import type { Collection, MemoryAccess } from './heap.ts'

const KINDS = new Map<number | undefined, string>([
  [constants.NODE_PERFORMANCE_GC_MINOR, 'minor'],
  [constants.NODE_PERFORMANCE_GC_MAJOR, 'major'],
  [constants.NODE_PERFORMANCE_GC_INCREMENTAL, 'incremental'],
  [constants.NODE_PERFORMANCE_GC_WEAKCB, 'weak callbacks'],
])

/** What Node adds to an entry of type `gc`; its types leave it out. */
interface GcEntry extends PerformanceEntry {
  detail?: { kind?: number }
}

export const nodeMemory: MemoryAccess = {
  heap: () => getHeapStatistics().used_heap_size,
  watchCollections() {
    let known: Collection[] = []
    const observer = new PerformanceObserver((list) => {
      for (const entry of list.getEntries() as GcEntry[]) {
        const { startTime, duration, detail } = entry
        const kind = detail?.kind
        known.push({ kind: KINDS.get(kind) ?? 'other', startMs: startTime, durationMs: duration })
      }
    })
    observer.observe({ entryTypes: ['gc'] })
    return {
      take() {
        const taken = known
        known = []
        return taken
      },
      stop: () => observer.disconnect(),
    }
  },
}
