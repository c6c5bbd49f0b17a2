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
  /** Whether it waits for others that came before. */
  waits: boolean
  start(file: File, frameMarker: string): Promise<void>
  cancel(): void
}

const LOOK_EVERY_MS = 1_000

/** Whether files wait for a thread of the server: the newest is the last of them. */
async function filesWait(): Promise<boolean> {
  try {
    return (await api.load()).threads.some(({ kind, waiting }) => kind === 'files' && waiting > 0)
  } catch {
    return false
  }
}

/** A take file on its way in. */
export const useImports = create<Imports>()((set) => ({
  file: null,
  sent: 0,
  waits: false,
  async start(file, frameMarker) {
    const abort = new AbortController()
    set({ file: file.name, sent: 0, waits: false, cancel: () => abort.abort() })
    const looking = setInterval(() => void filesWait().then((waits) => set({ waits })), LOOK_EVERY_MS)
    try {
      const result = await api.importFile(file, frameMarker, (sent) => set({ sent }), abort.signal)
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
    clearInterval(looking)
    set({ file: null })
    await useLibrary.getState().load()
  },
  cancel: () => {},
}))
