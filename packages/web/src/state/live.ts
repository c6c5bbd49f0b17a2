/** Follows a take while its game records it. */
import { newsOf } from '../api/frames.ts'
import { ask } from '../api/ask.ts'
import { Latest } from '../api/latest.ts'
import { api } from '../api/takes.ts'
import { LEDGER, type LedgerAnswer } from '@lapsus/core/questions/ledger'
import type { TakeSummary } from '@lapsus/api'
import { create } from 'zustand'
import { notify } from './notices.ts'
import { useTake } from './take.ts'
import { useView } from './view.ts'

const NEWS_EVERY_MS = 400
const LEDGER_EVERY_MS = 1_000
const OTHERS_EVERY_MS = 3_000
/** Frames that nobody has: asked for when only the count is wanted. */
const NO_FRAMES = 2 ** 31 - 1
/** Values kept of each gauge, for its small curve. */
const HISTORY = 90
/** Seconds that the heaviest markers are summed over. */
export const HEAVY_S = 5

interface Live {
  /** A frame is being studied; what arrives meanwhile is only counted. */
  frozen: boolean
  /** Frames that the take has by now. */
  totalFrames: number
  /** By gauge: its latest values, oldest first. */
  gauges: Map<number, number[]>
  heaviest: LedgerAnswer | null
  /** Other takes that are being recorded. */
  others: TakeSummary[]
  /** Why there is no news, in words; null while there is. */
  trouble: string | null
  freeze(frozen: boolean): void
}

export const useLive = create<Live>()((set) => ({
  frozen: false,
  totalFrames: 0,
  gauges: new Map(),
  heaviest: null,
  others: [],
  trouble: null,
  freeze: (frozen) => set({ frozen }),
}))

/** Follows the take until the returned function is called, or its recording ends. */
export function follow(id: string, frozen: boolean): () => void {
  const news = new Latest()
  const sums = new Latest()
  const others = new Latest()
  let stopped = false
  useLive.setState({ frozen, totalFrames: 0, gauges: new Map(), heaviest: null, others: [], trouble: null })
  const every = async (ms: number, work: () => Promise<boolean>) => {
    while (!stopped) {
      try {
        if (!(await work())) return
        useLive.setState({ trouble: null })
      } catch (error) {
        if (!stopped) useLive.setState({ trouble: (error as Error).message })
      }
      await new Promise((resolve) => setTimeout(resolve, ms))
    }
  }
  void every(NEWS_EVERY_MS, () => takeNews(id, news))
  void every(LEDGER_EVERY_MS, async () => (await sumUp(id, sums), true))
  void every(OTHERS_EVERY_MS, async () => (await findOthers(id, others), true))
  return () => {
    stopped = true
    for (const latest of [news, sums, others]) latest.cancel()
  }
}

/** @returns whether the recording goes on */
async function takeNews(id: string, latest: Latest): Promise<boolean> {
  const { take, append, open } = useTake.getState()
  if (take?.detail.id !== id) return true
  const { frozen } = useLive.getState()
  const from = frozen ? NO_FRAMES : take.frames.startNs.length
  const news = await latest.ask((signal) => newsOf(id, from, signal))
  if (news === null) return false
  useLive.setState({ totalFrames: news.totalFrames })
  if (news.state !== 'recording') {
    notify(
      news.state === 'complete'
        ? 'The recording has ended; the take is kept.'
        : 'The game vanished; what had arrived is kept.',
    )
    await open(id)
    return false
  }
  if (frozen) return true
  const isOld = news.markers > take.detail.markers.length || news.paths > take.detail.paths.length
  append(news, isOld ? await api.take(id) : null)
  useLive.setState(({ gauges }) => ({ gauges: withValues(gauges, news.gauges) }))
  return true
}

function withValues(history: Map<number, number[]>, latest: { gauge: number; value: number }[]) {
  const next = new Map(history)
  for (const { gauge, value } of latest) next.set(gauge, [...(next.get(gauge) ?? []), value].slice(-HISTORY))
  return next
}

async function sumUp(id: string, latest: Latest): Promise<void> {
  const { take } = useTake.getState()
  if (take?.detail.id !== id || useLive.getState().frozen) return
  const to = take.frames.startNs.length - 1
  if (to < 0) return
  const from = firstSince(take.frames.startNs, HEAVY_S)
  const { withoutRecorder } = useView.getState()
  const frames = { from, to, target: take.detail.target, withoutRecorder }
  const heaviest = await latest.ask((signal) => ask(LEDGER, id, frames, { by: 'marker' }, signal))
  if (heaviest !== null) useLive.setState({ heaviest })
}

async function findOthers(id: string, latest: Latest): Promise<void> {
  const takes = await latest.ask((signal) => api.takes({ state: 'recording' }, signal))
  if (takes !== null) useLive.setState({ others: takes.filter((take) => take.id !== id) })
}

/** The first frame of the last `seconds` of a take. */
export function firstSince(startNs: Float64Array, seconds: number): number {
  const sinceNs = (startNs.at(-1) ?? 0) - seconds * 1e9
  let low = 0
  let high = startNs.length - 1
  while (low < high) {
    const middle = (low + high) >> 1
    if (startNs[middle]! >= sinceNs) high = middle
    else low = middle + 1
  }
  return Math.max(0, low)
}
