import type { FramesQuery } from '../api/ask.ts'
import { useMemo } from 'react'
import type { OpenTake } from './take.ts'
import { useView } from './view.ts'

/** The frames that are chosen, all of them if none are, and how they are judged. */
export function useFramesQuery(take: OpenTake): FramesQuery {
  const range = useView((view) => view.range)
  const target = useView((view) => view.target) ?? take.detail.target
  const withoutRecorder = useView((view) => view.withoutRecorder)
  const last = take.frames.startNs.length - 1
  const from = range?.from ?? 0
  const to = range?.to ?? last
  return useMemo(() => ({ from, to, target, withoutRecorder }), [from, to, target, withoutRecorder])
}
