import { jobWords } from '@lapsus/api'
import { Progress } from 'radix-ui'
import { useEffect } from 'react'
import { Button } from '../components/button.tsx'
import { useImports } from '../state/imports.ts'
import { useJobs } from '../state/jobs.ts'

const LOOK_EVERY_MS = 2_000

/** Long work of others, or asked for elsewhere: how far it is, and what stops it. */
export function JobList() {
  const { jobs, look, stop } = useJobs()
  const own = useImports((state) => state.job)
  useEffect(() => {
    const timer = setInterval(() => void look(), LOOK_EVERY_MS)
    return () => clearInterval(timer)
  }, [look])
  const others = jobs.filter(({ id }) => id !== own)
  if (others.length === 0) return null
  return (
    <ul className="mb-4 flex flex-col gap-2" data-testid="jobs">
      {others.map((job) => {
        const { what, far, share } = jobWords(job)
        return (
          <li key={job.id} className="flex items-center gap-4 rounded border border-line bg-leaf px-4 py-2">
            <span className="w-72 truncate" title={what}>
              {what}
            </span>
            <Progress.Root
              aria-label={what}
              value={share === null ? null : share * 100}
              className="h-2 grow overflow-hidden rounded-full bg-line/60"
            >
              <Progress.Indicator className="h-full bg-work" style={{ width: `${(share ?? 0) * 100}%` }} />
            </Progress.Root>
            <span className="w-96 text-right text-faint tabular-nums">{far}</span>
            <Button onClick={() => void stop(job.id)}>Stop</Button>
          </li>
        )
      })}
    </ul>
  )
}
