/** Rollups are kept of single chunks (level 0) and of 16, 256 … neighbouring ones (level 1, 2 …). */
export const LEVEL_FACTOR = 16

/** One stored rollup: chunks index × 16^level up to before (index + 1) × 16^level. */
export interface RollupNode {
  level: number
  index: number
}

/** The fewest stored rollups that cover the chunks `from` to before `to` exactly: O(log n) of them. */
export function coverChunks(from: number, to: number): RollupNode[] {
  const nodes: RollupNode[] = []
  for (let at = from; at < to;) {
    let level = 0
    let size = 1
    while (at % (size * LEVEL_FACTOR) === 0 && at + size * LEVEL_FACTOR <= to) {
      size *= LEVEL_FACTOR
      level++
    }
    nodes.push({ level, index: at / size })
    at += size
  }
  return nodes
}

/**
 * The rollups of higher levels that become complete when chunk `index` is stored, lowest level first.
 * Each is made of the 16 nodes of the level below it that end with this chunk.
 */
export function completedBy(index: number): RollupNode[] {
  const nodes: RollupNode[] = []
  let size = LEVEL_FACTOR
  for (let level = 1; (index + 1) % size === 0; level++, size *= LEVEL_FACTOR) {
    nodes.push({ level, index: (index + 1) / size - 1 })
  }
  return nodes
}
