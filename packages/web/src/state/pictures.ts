import type { TakePicture } from '@lapsus/api'
import { create } from 'zustand'
import { api } from '../api/takes.ts'

interface PicturesState {
  take: string | null
  /** In order of time. */
  pictures: readonly TakePicture[]
  /** Those of a take; while it is recorded there are more each time. */
  load(take: string): Promise<void>
}

/** What was on the screen while the open take was recorded. */
export const usePictures = create<PicturesState>()((set, get) => ({
  take: null,
  pictures: [],
  async load(take) {
    if (get().take !== take) set({ take, pictures: [] })
    const pictures = await api.pictures(take).catch((): TakePicture[] => [])
    if (get().take === take) set({ pictures })
  },
}))

/** The last one at or before a time, and the first after it; null where there is none. */
export function picturesAround(
  pictures: readonly TakePicture[],
  atNs: number,
): { before: TakePicture | null; after: TakePicture | null } {
  const next = pictures.findIndex((picture) => picture.atNs > atNs)
  const before = next < 0 ? pictures.at(-1) : pictures[next - 1]
  return { before: before ?? null, after: next < 0 ? null : pictures[next]! }
}

export function nearestPicture(pictures: readonly TakePicture[], atNs: number): TakePicture | null {
  const { before, after } = picturesAround(pictures, atNs)
  if (before === null || after === null) return before ?? after
  return atNs - before.atNs <= after.atNs - atNs ? before : after
}

/** How far it is from a time, in words. */
export function apartWords({ atNs }: TakePicture, fromNs: number): string {
  const seconds = Math.abs(atNs - fromNs) / 1e9
  return seconds < 0.005 ? 'just then' : `${seconds.toFixed(2)} s ${atNs <= fromNs ? 'before' : 'after'}`
}
