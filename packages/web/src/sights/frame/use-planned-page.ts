import type { PageAnswer } from '@lapsus/core/questions/page'
import { useEffect, useMemo, useState } from 'react'
import { spansAfter, type FrameAfter } from '@lapsus/core/remedy'
import { theDesk } from '../../plan/desk-client.ts'
import { useForecastFrames } from '../../plan/use-forecast.ts'
import type { OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'

/** The page as it would have been with the plan, where that is wished for and known; else as it is. */
export function usePlannedPage(take: OpenTake, page: PageAnswer | null, mayBe: boolean): PageAnswer | null {
  const planned = useView((view) => view.planned) && mayBe
  const frames = useForecastFrames(take)
  const [after, setAfter] = useState<{ frame: number; after: FrameAfter } | null>(null)
  const frame = page?.frame
  useEffect(() => {
    if (!planned || frames === null || frame === undefined) return setAfter(null)
    let current = true
    void theDesk()
      .frame(frame)
      .then((known) => current && setAfter(known === null ? null : { frame, after: known }))
    return () => void (current = false)
  }, [planned, frames, frame])
  return useMemo(() => {
    if (page === null || after === null || after.frame !== page.frame || !planned) return page
    const spans = { path: page.path, startNs: page.spanStartNs, durationNs: page.spanDurationNs }
    const { path, startNs, durationNs, from } = spansAfter(spans, page.startNs, take.paths, after.after)
    const source = (column: ArrayLike<number>) => (at: number) => (at < 0 ? 0 : column[at]!)
    return {
      ...page,
      path,
      spanStartNs: startNs,
      spanDurationNs: durationNs,
      durationNs: after.after.durationNs,
      effect: page.effect === null ? null : Uint8Array.from(from, source(page.effect)),
      key: page.key === null ? null : Uint32Array.from(from, source(page.key)),
      // What would have been allocated is not known run by run.
      bytes: null,
    }
  }, [page, after, planned, take.paths])
}
