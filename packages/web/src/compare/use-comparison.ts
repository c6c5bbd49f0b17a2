import type { TakeDetail } from '@lapsus/api'
import { wrap, type Remote } from 'comlink'
import { useEffect, useState } from 'react'
import { api } from '../api/takes.ts'
import type { Compared, Comparer } from './comparer.ts'

let comparer: Remote<Comparer> | null = null
export const theComparer = (): Remote<Comparer> =>
  (comparer ??= wrap<Comparer>(
    new Worker(new URL('./compare-worker.ts', import.meta.url), { type: 'module' }),
  ))

export interface ComparisonState {
  before: TakeDetail[]
  after: TakeDetail[]
  compared: Compared
}

/** Reads the takes of both sides and sets them against each other. */
export function useComparison(
  before: string,
  after: string,
): { state: ComparisonState | null; error: string | null } {
  const [found, setFound] = useState<{ key: string; state: ComparisonState | null; error: string | null }>()
  const key = `${before} ${after}`
  useEffect(() => {
    let current = true
    const fail = (error: string) => current && setFound({ key, state: null, error })
    void compare(before, after).then(
      (state) => current && setFound({ key, state, error: null }),
      (error: Error) => fail(error.message),
    )
    return () => void (current = false)
  }, [key, before, after])
  return found?.key === key ? found : { state: null, error: null }
}

async function compare(before: string, after: string): Promise<ComparisonState> {
  const detailsOf = async (ids: string) => {
    const names = ids.split(',').filter((id) => id !== '')
    return Promise.all(names.map((id) => api.take(id)))
  }
  const [one, other] = [await detailsOf(before), await detailsOf(after)]
  if (one.length === 0 || other.length === 0) throw new Error('Name a take on each side: before, and after.')
  const compared = await theComparer().compare(one, other, one[0]!.target)
  return { before: one, after: other, compared }
}
