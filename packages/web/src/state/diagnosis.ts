/** What is wrong with the chosen frames, as the server worked it out. */
import { ask, markFinding, type FramesQuery } from '../api/ask.ts'
import { DIAGNOSIS, type DiagnosisAnswer, type FindingMark } from '@lapsus/core/questions/diagnosis'
import { create } from 'zustand'
import { Latest } from '../api/latest.ts'
import { notify } from './notices.ts'

interface DiagnosisState {
  /** Of the take and frames last asked about; the one before stays while it is fetched. */
  diagnosis: DiagnosisAnswer | null
  takeId: string | null
  error: string | null
  loading: boolean
  load(takeId: string, query: FramesQuery): Promise<void>
  mark(takeId: string, finding: string, mark: FindingMark['mark'] | null, reason: string): Promise<void>
}

export const useDiagnosis = create<DiagnosisState>()((set, get) => {
  const latest = new Latest()
  return {
    diagnosis: null,
    takeId: null,
    error: null,
    loading: false,
    async load(takeId, query) {
      set({ loading: true, error: null, ...(get().takeId === takeId ? {} : { diagnosis: null, takeId }) })
      try {
        const diagnosis = await latest.ask((signal) => ask(DIAGNOSIS, takeId, query, {}, signal))
        if (diagnosis !== null) set({ diagnosis, loading: false })
      } catch (error) {
        set({ error: (error as Error).message, loading: false })
      }
    },
    async mark(takeId, finding, mark, reason) {
      const { diagnosis } = get()
      if (diagnosis === null) return
      try {
        set({ diagnosis: { ...diagnosis, marks: await markFinding(takeId, finding, mark, reason) } })
      } catch (error) {
        notify((error as Error).message)
      }
    },
  }
})
