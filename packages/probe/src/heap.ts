/** Bytes on the game's heap at this moment. Must be quick; may itself allocate the same few bytes each time. */
export type HeapReader = () => number

/** A collection that took place, on the thread's own performance.now(). */
export interface Collection {
  kind: string
  startMs: number
  durationMs: number
}

/** Tells of the collections of the thread it runs in. */
export interface CollectionWatcher {
  /** Those that have become known since the last call. */
  take(): Collection[]
  stop(): void
}

/** What a platform lets the probe know about memory; null where it does not. */
export interface MemoryAccess {
  heap: HeapReader | null
  /** Null: a fall of the heap between two frames is taken for a suspected collection. */
  watchCollections: (() => CollectionWatcher) | null
}
