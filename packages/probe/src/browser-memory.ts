/** Memory as a browser tells it: Chromium gives the heap's size, and no news of collections. */
import type { MemoryAccess } from './heap.ts'

interface MemoryInfo {
  usedJSHeapSize: number
}

const memoryOf = (): MemoryInfo | undefined => (performance as { memory?: MemoryInfo }).memory

export const browserMemory: MemoryAccess = {
  heap:
    typeof performance !== 'undefined' && memoryOf() !== undefined ? () => memoryOf()!.usedJSHeapSize : null,
  watchCollections: null,
}
