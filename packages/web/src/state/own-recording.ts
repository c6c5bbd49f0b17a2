/** Waits for a game that begins to record, and follows its first take. */
import type { TakeDetail } from '@lapsus/api'
import { DIAGNOSIS, type DiagnosisAnswer } from '@lapsus/core/questions/diagnosis'
import { LEDGER, type LedgerAnswer } from '@lapsus/core/questions/ledger'
import { create } from 'zustand'
import { ask } from '../api/ask.ts'
import { api } from '../api/takes.ts'
import { begunSince } from './begun-since.ts'

const LOOK_EVERY_MS = 700
/** Of the newest takes: a library may hold thousands. */
const LOOKED_AT = '20'

interface OwnRecording {
  /** The take that began last since the page was opened; null until one does. */
  take: TakeDetail | null
  /** Of all its frames so far, by marker. */
  ledger: LedgerAnswer | null
  /** Once it has ended. */
  diagnosis: DiagnosisAnswer | null
  trouble: string | null
}

const NOTHING: OwnRecording = { take: null, ledger: null, diagnosis: null, trouble: null }

export const useOwnRecording = create<OwnRecording>()(() => NOTHING)

/** Looks again and again, until the returned function is called. */
export function watchForOwn(): () => void {
  const stop = new AbortController()
  useOwnRecording.setState(NOTHING)
  void (async () => {
    let before: Set<string> | null = null
    while (!stop.signal.aborted) {
      try {
        const takes = await api.takes({ limit: LOOKED_AT }, stop.signal)
        before ??= new Set(takes.filter(({ state }) => state !== 'recording').map(({ id }) => id))
        const found = begunSince(before, takes)
        if (found !== undefined) await follow(found.id, stop.signal)
        useOwnRecording.setState({ trouble: null })
      } catch (error) {
        if (!stop.signal.aborted) useOwnRecording.setState({ trouble: (error as Error).message })
      }
      await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS))
    }
  })()
  return () => stop.abort()
}

async function follow(id: string, signal: AbortSignal): Promise<void> {
  const known = useOwnRecording.getState()
  if (known.take?.id === id && known.diagnosis !== null) return
  const take = await api.take(id, signal)
  const frames = { from: 0, to: take.frames - 1, target: take.target, withoutRecorder: false }
  const ledger = take.frames === 0 ? null : await ask(LEDGER, id, frames, { by: 'marker' }, signal)
  const hasEnded = take.state !== 'recording' && take.frames > 0
  const diagnosis = hasEnded ? await ask(DIAGNOSIS, id, frames, {}, signal) : null
  useOwnRecording.setState({ take, ledger, diagnosis })
}
