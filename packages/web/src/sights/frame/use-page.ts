import type { PageAnswer } from '@lapsus/core/questions/page'
import { useEffect, useMemo, useState } from 'react'
import { durationsWithoutRecorder } from '@lapsus/core/take'
import { loadPage, type OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'

/** One frame's spans; the last one stays while the next is fetched. @param frame null for none */
export function usePage(
  take: OpenTake,
  frame: number | null,
): { page: PageAnswer | null; error: string | null } {
  const withoutRecorder = useView((view) => view.withoutRecorder)
  const [recorded, setRecorded] = useState<PageAnswer | null>(null)
  const [error, setError] = useState<string | null>(null)
  useEffect(() => {
    let current = true
    setError(null)
    if (frame === null) setRecorded(null)
    else
      loadPage(take.detail.id, frame).then(
        (loaded) => current && setRecorded(loaded),
        (failure: Error) => current && setError(failure.message),
      )
    return () => void (current = false)
  }, [take.detail.id, frame])
  const page = useMemo(() => {
    const { recorder } = take.detail.conditions
    if (recorded === null || !withoutRecorder || recorder === undefined) return recorded
    const { path, spanDurationNs } = recorded
    return {
      ...recorded,
      spanDurationNs: durationsWithoutRecorder(path, spanDurationNs, take.paths, recorder),
    }
  }, [recorded, withoutRecorder, take.detail.conditions, take.paths])
  return { page, error }
}
