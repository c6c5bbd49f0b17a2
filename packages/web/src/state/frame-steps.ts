/** Going from frame to frame. */
import { nextOver } from '@lapsus/core/take'
import { useDiagnosis } from './diagnosis.ts'
import type { OpenTake } from './take.ts'
import { useView } from './view.ts'

export interface Steps {
  step(by: 1 | -1): void
  stepOver(by: 1 | -1): void
  /** To the spike of the game's own before or after; those that the machine made are passed over. */
  stepSpike(by: 1 | -1): void
}

/** Going from frame to frame, for keys and buttons. */
export function frameSteps(take: OpenTake, budgetMs: number): Steps {
  const last = take.frames.startNs.length - 1
  const go = (frame: number) => useView.getState().change({ frame: Math.min(last, Math.max(0, frame)) })
  return {
    step: (by) => go(useView.getState().frame + by),
    stepOver(by) {
      const found = nextOver(take.frames, useView.getState().frame, by, budgetMs * 1e6)
      if (found !== null) go(found)
    },
    stepSpike(by) {
      const { frame } = useView.getState()
      const spikes = useDiagnosis.getState().diagnosis?.spikes ?? []
      const own = spikes.filter(({ machine, frame: at }) => machine === null && (at - frame) * by > 0)
      const next = by > 0 ? own[0] : own.at(-1)
      if (next !== undefined) useView.getState().change({ frame: next.frame, beside: next.typicalFrame })
    },
  }
}
