import type { JobInfo } from '@lapsus/api'
import { create } from 'zustand'
import { api } from '../api/takes.ts'
import { notify } from './notices.ts'

interface Jobs {
  /** Long work that the server has under way, whoever asked for it. */
  jobs: JobInfo[]
  look(): Promise<void>
  stop(id: string): Promise<void>
}

export const useJobs = create<Jobs>()((set, get) => ({
  jobs: [],
  async look() {
    // Whoever is away tells so elsewhere.
    const jobs = await api.jobs().catch(() => [])
    if (jobs.length > 0 || get().jobs.length > 0) set({ jobs })
  },
  async stop(id) {
    await api.stopJob(id).catch((error: Error) => notify(error.message))
    await get().look()
  },
}))
