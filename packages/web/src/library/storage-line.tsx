import { useEffect, useState } from 'react'
import type { StorageReport, TakeSummary } from '@lapsus/api'
import { plural } from '@lapsus/core/words'
import { api } from '../api/client.ts'

const megabytes = (bytes: number): string =>
  bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${Math.ceil(bytes / 1e6)} MB`

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
  const { keepDays, keepBytes, keptTakes } = report
  const rules = [
    keepDays === null ? [] : [`older than ${plural(keepDays, 'day')}`],
    keepBytes === null ? [] : [`the oldest beyond ${megabytes(keepBytes)}`],
  ].flat()
  return (
    <p className="mb-6 text-xs text-faint" data-testid="storage">
      {plural(report.takes, 'take')}, stored in {megabytes(report.bytes)}.{' '}
      {rules.length > 0 &&
        `Takes leave by themselves when ${rules.join(', or ')}; ${plural(keptTakes, 'take')} with a tag or a plan never.`}
    </p>
  )
}
