import { api } from '../api/takes.ts'
import { useEffect, useState } from 'react'
import { storageWords, type StorageReport, type TakeSummary } from '@lapsus/api'

/** How much the takes use, and which leave by themselves. Asked anew when the takes change. */
export function StorageLine({ takes }: { takes: TakeSummary[] | null }) {
  const [report, setReport] = useState<StorageReport | null>(null)
  useEffect(() => {
    let current = true
    void api.storage().then(
      (storage) => current && setReport(storage),
      () => {},
    )
    return () => void (current = false)
  }, [takes])
  if (report === null || report.takes === 0) return null
  return (
    <p className="mb-6 text-xs text-faint" data-testid="storage">
      {storageWords(report).join(' ')}
    </p>
  )
}
