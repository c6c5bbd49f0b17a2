import { api } from '../api/takes.ts'
import type { TakeDetail } from '@lapsus/api'

/** What the recorder had to leave out, and what could not be stored; nothing where all is well. */
export function TakeTroubles({ detail }: { detail: TakeDetail }) {
  const { id, problems, setAsideRecords } = detail
  if (problems.length === 0 && setAsideRecords.length === 0) return null
  return (
    <div className="mt-4 border-t border-line pt-4" data-testid="troubles">
      <span className="mb-1 block text-xs text-faint">What the recording had to leave out or mend</span>
      <ul className="list-disc pl-5">
        {problems.map(({ what, about, count }) => (
          <li key={`${what} ${about}`}>
            {what}
            {about !== '' && `: ${about}`} ({count} ×)
          </li>
        ))}
        {setAsideRecords.map(({ sequence, reason }) => (
          <li key={sequence}>
            Record {sequence} could not be stored ({reason}).{' '}
            <a className="underline" href={api.setAsideAddress(id, sequence)} download>
              Download it
            </a>
          </li>
        ))}
      </ul>
    </div>
  )
}
