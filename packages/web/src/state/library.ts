import type { ImportResult, TakeSummary } from '@lapsus/api'
import { create } from 'zustand'
import { api } from '../api/client.ts'
import { notify } from './notices.ts'

interface Library {
  /** Null until loaded. */
  takes: TakeSummary[] | null
  error: string | null
  load(): Promise<void>
  rename(id: string, name: string): Promise<void>
  setNote(id: string, note: string): Promise<void>
  remove(take: TakeSummary): Promise<void>
  importFile(file: File): Promise<ImportResult | null>
}

/** The takes that are kept. */
export const useLibrary = create<Library>()((set, get) => {
  const change = async (id: string, fields: { name?: string; note?: string }) => {
    const before = get().takes
    set({ takes: before?.map((take) => (take.id === id ? { ...take, ...fields } : take)) ?? null })
    try {
      await api.changeTake(id, fields)
    } catch (error) {
      set({ takes: before })
      notify((error as Error).message)
    }
  }
  return {
    takes: null,
    error: null,
    async load() {
      try {
        set({ takes: await api.takes(), error: null })
      } catch (error) {
        set({ error: (error as Error).message })
      }
    },
    rename: (id, name) => change(id, { name }),
    setNote: (id, note) => change(id, { note }),
    async remove(take) {
      try {
        await api.deleteTake(take.id)
      } catch (error) {
        notify((error as Error).message)
        return
      }
      await get().load()
      notify(`“${take.name || take.game}” is deleted.`, {
        label: 'Undo',
        run: () => void api.restoreTake(take.id).then(get().load, (error: Error) => notify(error.message)),
      })
    },
    async importFile(file) {
      try {
        const result = await api.importFile(file)
        await get().load()
        notify(
          result.problem === null
            ? `${file.name}: ${result.frames} frames are in.`
            : `${file.name}: ${result.frames} frames are in; ${result.problem}.`,
        )
        return result
      } catch (error) {
        notify(`${file.name}: ${(error as Error).message}`)
        return null
      }
    },
  }
})
