/** Long work that the running Lapsus does for a command: how far it is, told while it lasts. */
import { randomUUID } from 'node:crypto'
import { checkJob, checkJobs, jobWords, type JobInfo } from '@lapsus/api'
import { request, withPassword } from './server.ts'

/** What is done by then needs no words. */
const FIRST_MS = 1_000
/** On a screen one line that changes; in a file a line now and then. */
const SCREEN_EVERY_MS = 500
const FILE_EVERY_MS = 10_000

/**
 * Does `work`, and tells on standard error how far the job is.
 * @param work given the headers by which its request has the job's number
 */
export async function withProgress<T>(
  address: string,
  work: (headers: Record<string, string>) => Promise<T>,
): Promise<T> {
  const id = `lapsus-${randomUUID()}`
  const isScreen = process.stderr.isTTY
  let timer: ReturnType<typeof setTimeout> | undefined
  let isDone = false
  let isShown = false
  const tell = async () => {
    const job = await jobOf(address, id)
    if (isDone) return
    if (job !== null) {
      const { what, far } = jobWords(job)
      process.stderr.write(isScreen ? `\r\x1b[K${what}: ${far}` : `lapsus: ${what}: ${far}\n`)
      isShown = true
    }
    again(isScreen ? SCREEN_EVERY_MS : FILE_EVERY_MS)
  }
  const again = (ms: number) => {
    timer = setTimeout(() => void tell(), ms)
    timer.unref()
  }
  again(FIRST_MS)
  try {
    return await work({ 'lapsus-job': id })
  } finally {
    isDone = true
    clearTimeout(timer)
    if (isShown && isScreen) process.stderr.write('\r\x1b[K')
  }
}

/** Null where it has not come there yet, or is over. */
async function jobOf(address: string, id: string): Promise<JobInfo | null> {
  try {
    const response = await fetch(`${address}/api/jobs/${id}`, { headers: withPassword() })
    return response.ok ? checkJob(await response.json()) : null
  } catch {
    return null
  }
}

/** What is under way, whoever asked for it. */
export const jobsOf = async (address: string): Promise<JobInfo[]> =>
  checkJobs(await (await request(`${address}/api/jobs`)).json())

export async function stopJob(address: string, id: string): Promise<void> {
  await request(`${address}/api/jobs/${encodeURIComponent(id)}`, { method: 'DELETE' })
}
