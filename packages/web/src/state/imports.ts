import { api } from '../api/takes.ts'
import { create } from 'zustand'
import { plural } from '@lapsus/core/words'
import { useLibrary } from './library.ts'
import { notify } from './notices.ts'

interface Imports {
  /** The file that is being sent; null when none is. */
  file: string | null
  /** Share that has been sent, from 0 to 1; 1 while the server works on the rest. */
  sent: number
  /** Its number among the server's jobs. */
  job: string
  start(file: File, frameMarker: string): Promise<void>
  cancel(): void
}

/** Random, and there where a page is not of a secure origin. */
const newJob = (): string => `page-${Math.random().toString(36).slice(2)}-${Date.now().toString(36)}`

/** A take file on its way in. */
export const useImports = create<Imports>()((set) => ({
  file: null,
  sent: 0,
  job: '',
  async start(file, frameMarker) {
    const abort = new AbortController()
    const job = newJob()
    set({ file: file.name, sent: 0, job, cancel: () => abort.abort() })
    try {
      const result = await api.importFile(file, frameMarker, job, (sent) => set({ sent }), abort.signal)
      const all = [result, ...result.others]
      const wrong = all
        .flatMap(({ problem, skipped }) => [problem, skipped])
        .filter((words) => words !== null)
      const frames = plural(
        all.reduce((sum, one) => sum + one.frames, 0),
        'frame',
      )
      const what = all.length === 1 ? frames : `${plural(all.length, 'take')} with ${frames}`
      notify([`${file.name}: ${what} are in`, ...wrong].join('; ') + '.')
    } catch (error) {
      const cancelled = (error as Error).name === 'AbortError'
      notify(cancelled ? `${file.name} was not imported.` : `${file.name}: ${(error as Error).message}`)
    }
    set({ file: null })
    await useLibrary.getState().load()
  },
  cancel: () => {},
}))
