import { jobWords } from '@lapsus/api'
import { useEffect } from 'react'
import { Button } from '../components/button.tsx'
import { ProgressLine } from '../components/progress-line.tsx'
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
    <ul className="flex flex-col gap-2" data-testid="jobs">
      {others.map((job) => {
        const { what, far, share } = jobWords(job)
        return (
          <li key={job.id}>
            <ProgressLine label={what} what={what} share={share} far={far}>
              <Button onClick={() => void stop(job.id)}>Stop</Button>
            </ProgressLine>
          </li>
        )
      })}
    </ul>
  )
}
