import { framesOf } from '../api/frames.ts'
import { ask } from '../api/ask.ts'
import { Remembered } from '../api/latest.ts'
import { api } from '../api/takes.ts'
import { PAGE, type PageAnswer } from '@lapsus/core/questions/page'
import type { LiveNews, TakeDetail } from '@lapsus/api'
import type { Place } from '@lapsus/core/format'
import {
  concatFrames,
  cutFrames,
  framesWithoutRecorder,
  PathTable,
  type FrameColumns,
} from '@lapsus/core/take'
import { create } from 'zustand'

/** A take with what its views look up all the time. */
export interface OpenTake {
  detail: TakeDetail
  frames: FrameColumns
  paths: PathTable
  markers: Map<number, TakeDetail['markers'][number]>
}

interface TakeState {
  id: string | null
  take: OpenTake | null
  error: string | null
  /** Those of this take that were read lately, so that going back and forth is instant. */
  pages: Remembered<PageAnswer>
  open(id: string): Promise<void>
  /** Takes over a changed name or note. */
  patch(change: Partial<TakeDetail>): void
  /** Adds what has arrived of a take that is being recorded. */
  append(news: LiveNews, detail: TakeDetail | null): void
}

const MOST_PAGES = 60

/** The take that is open in the workbench. */
export const useTake = create<TakeState>()((set, get) => ({
  id: null,
  take: null,
  error: null,
  pages: new Remembered(MOST_PAGES),
  async open(id) {
    set({ id, take: null, error: null, pages: new Remembered(MOST_PAGES) })
    try {
      const [detail, frames] = await Promise.all([api.take(id), framesOf(id)])
      if (get().id === id) set({ take: openTake(detail, frames) })
    } catch (error) {
      if (get().id === id) set({ error: (error as Error).message })
    }
  },
  patch(change) {
    const { take } = get()
    if (take !== null) set({ take: { ...take, detail: { ...take.detail, ...change } } })
  },
  append(news, detail) {
    const { take } = get()
    if (take === null) return
    const have = take.frames.startNs.length
    // Chunks are sent whole: the first may hold frames that are here already.
    const fresh = cutFrames(
      news.frames,
      Math.min(news.frames.startNs.length, Math.max(0, have - news.firstFrame)),
      news.frames.startNs.length,
    )
    const frames = fresh.startNs.length === 0 ? take.frames : concatFrames([take.frames, fresh])
    const known = new Set(take.detail.moments.map(({ atNs, name }) => `${atNs} ${name}`))
    const moments = [
      ...take.detail.moments,
      ...news.moments.filter(({ atNs, name }) => !known.has(`${atNs} ${name}`)),
    ]
    const changes = {
      state: news.state,
      dropped: news.dropped,
      repaired: news.repaired,
      stretches: news.stretches,
    }
    set({ take: openTake({ ...(detail ?? take.detail), ...changes, moments }, frames) })
  },
}))

/** The take with the recorder's estimated share out of its frames; the same one if it does not say its cost. */
export function takeWithoutRecorder(take: OpenTake): OpenTake {
  const { recorder } = take.detail.conditions
  return recorder === undefined ? take : { ...take, frames: framesWithoutRecorder(take.frames, recorder) }
}

export function openTake(detail: TakeDetail, frames: FrameColumns): OpenTake {
  const markers = new Map(detail.markers.map((marker) => [marker.id, marker]))
  const paths = new PathTable()
  for (const { parent, lane, marker } of detail.paths) paths.child(parent, lane, markers.get(marker)!)
  return { detail, frames, paths, markers }
}

/** Where in the code the marker of a path stands; null where that is not known. */
export const placeOfPath = ({ paths, markers }: OpenTake, path: number | null): Place | null =>
  path === null ? null : (markers.get(paths.get(path).marker)?.at ?? null)

/** Pages seen lately are there at once. */
export const loadPage = (id: string, frame: number): Promise<PageAnswer> =>
  useTake.getState().pages.get(`${id}/${frame}`, () => ask(PAGE, id, null, { frame }))
