import type { Evidence } from './evidence.ts'

/** Paths that explain a family of spikes. */
export function causesOfFamilies({ families }: Evidence): Set<number> {
  return new Set(
    families.flatMap(({ causes }) => causes.flatMap(({ path }) => (path === null ? [] : [path]))),
  )
}
