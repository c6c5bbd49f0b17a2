import type { LedgerResponse } from '@lapsus/api'
import type { LedgerBy } from '@lapsus/core/rollup'
import { useEffect, useState } from 'react'
import { api } from '../api/client.ts'

/** Time that a choice must rest before the server is asked: a drag changes it with every move. */
const REST_MS = 60

export interface LedgerQuery {
  from: number
  to: number
  by: LedgerBy
  withoutRecorder: boolean
}

/** The ledger of some frames; the last one stays while the next is fetched. */
export function useLedger(takeId: string, { from, to, by, withoutRecorder }: LedgerQuery) {
  const [ledger, setLedger] = useState<LedgerResponse | null>(null)
  const [error, setError] = useState<string | null>(null)
  useEffect(() => {
    const abort = new AbortController()
    const timer = setTimeout(() => {
      api.ledger(takeId, { from, to, by, withoutRecorder }, abort.signal).then(
        (loaded) => {
          setLedger(loaded)
          setError(null)
        },
        (failure: Error) => {
          if (failure.name !== 'AbortError') setError(failure.message)
        },
      )
    }, REST_MS)
    return () => {
      clearTimeout(timer)
      abort.abort()
    }
  }, [takeId, from, to, by, withoutRecorder])
  return {
    ledger,
    error,
    stale:
      ledger === null ||
      ledger.from !== from ||
      ledger.to !== to ||
      ledger.by !== by ||
      ledger.withoutRecorder !== withoutRecorder,
  }
}
