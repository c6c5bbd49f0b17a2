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
      const asked = get().active.map(({ id }) => id)
      const answers = await Promise.all(asked.map((id) => api.recording(id).catch(() => null)))
      for (const answer of answers)
        if (answer?.state === 'failed') notify(`The recording failed: ${answer.message}`)
      const now = new Map(asked.map((id, i) => [id, answers[i]]))
      if (answers.some((answer) => answer === null || !underWay(answer))) await useLibrary.getState().load()
      // What was begun while these were asked for is kept.
      set(({ active }) => ({
        active: active
          .map((recording) => (now.has(recording.id) ? now.get(recording.id)! : recording))
          .filter((recording) => recording !== null && underWay(recording)),
      }))
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
