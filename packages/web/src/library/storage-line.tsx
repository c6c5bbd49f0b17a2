import { api } from '../api/takes.ts'
import { useEffect, useState } from 'react'
import { storageWords, type StorageReport, type TakeSummary } from '@lapsus/api'

/** Adding up what is stored is not to keep the list from coming. */
const ASKED_AFTER_MS = 500

/** How much the takes use, and which leave by themselves. Asked anew when the takes change. */
export function StorageLine({ takes }: { takes: TakeSummary[] | null }) {
  const [report, setReport] = useState<StorageReport | null>(null)
  useEffect(() => {
    if (takes === null) return
    let current = true
    const timer = setTimeout(() => {
      void api.storage().then(
        (storage) => current && setReport(storage),
        () => {},
      )
    }, ASKED_AFTER_MS)
    return () => {
      clearTimeout(timer)
      current = false
    }
  }, [takes])
  if (report === null || report.takes === 0) return null
  return (
    <p className="mb-6 text-xs text-faint" data-testid="storage">
      {storageWords(report).join(' ')}
    </p>
  )
}
