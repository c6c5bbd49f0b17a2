/** What a pass over all instances moves through the caches, by how they lie in memory. */

/** Bytes that a cache moves at once, on nearly every machine of today. */
export const LINE = 64

export interface Layout {
  /** Memory that the instances take, bytes. */
  bytes: number
  /** Cache lines that one pass touches. */
  lines: number
}

export interface Layouts {
  /** Array of structs: each instance in one piece, all its fields side by side. */
  structs: Layout
  /** Struct of arrays: one packed array a field; a pass reads only those it needs. */
  arrays: Layout
}

/**
 * @param each bytes of one instance
 * @param hot bytes of it that the pass reads or writes
 */
export function layoutsOf(instances: number, each: number, hot: number): Layouts {
  const used = Math.min(hot, each)
  return {
    // Pieces lie anywhere: each begins on a line of its own, and its used fields are spread over it.
    structs: { bytes: instances * each, lines: instances * Math.max(1, Math.ceil(each / LINE)) },
    arrays: { bytes: instances * each, lines: Math.ceil((instances * used) / LINE) },
  }
}
