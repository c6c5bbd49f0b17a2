import { api } from '../api/takes.ts'
import type { DemoGame, Recording, RecordingRequest } from '@lapsus/api'
import { create } from 'zustand'
import { useLibrary } from './library.ts'
import { notify } from './notices.ts'

const POLL_MS = 500

interface Recordings {
  game: DemoGame | null
  /** Those under way. */
  active: Recording[]
  loadGame(): Promise<void>
  /** Finds recordings that were begun elsewhere, or before a reload. */
  resume(): Promise<void>
  start(request: RecordingRequest): Promise<boolean>
  stop(id: string): Promise<void>
}

const underWay = ({ state }: Recording) =>
  state === 'waiting' || state === 'starting' || state === 'recording'

/** Recordings of the demo game, followed to their end. */
export const useRecordings = create<Recordings>()((set, get) => {
  let polling = false

  async function poll(): Promise<void> {
    if (polling) return
    polling = true
    while (get().active.length > 0) {
      await new Promise((resolve) => setTimeout(resolve, POLL_MS))
      const latest = await Promise.all(get().active.map(({ id }) => api.recording(id).catch(() => null)))
      const known = latest.filter((recording) => recording !== null)
      for (const recording of known)
        if (recording.state === 'failed') notify(`The recording failed: ${recording.message}`)
      if (latest.some((recording) => recording === null || !underWay(recording)))
        await useLibrary.getState().load()
      set({ active: known.filter(underWay) })
    }
    polling = false
  }

  return {
    game: null,
    active: [],
    async loadGame() {
      set({ game: await api.demoGame() })
    },
    async resume() {
      const active = (await api.recordings().catch(() => [])).filter(underWay)
      set({ active })
      void poll()
    },
    async start(request) {
      try {
        const recording = await api.startRecording(request)
        set({ active: [recording, ...get().active] })
        void poll()
        return true
      } catch (error) {
        notify((error as Error).message)
        return false
      }
    },
    async stop(id) {
      await api.stopRecording(id).catch((error: Error) => notify(error.message))
    },
  }
})
