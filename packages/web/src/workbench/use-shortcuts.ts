import { frameSteps } from '../state/frame-steps.ts'
import { LEDGER_SCOPES } from '@lapsus/core/questions/ledger'
import { useEffect, useRef } from 'react'
import { quietFrame } from '../findings/show.ts'
import type { OpenTake } from '../state/take.ts'
import { usePlan } from '../state/plan.ts'
import { useSettings } from '../state/settings.ts'
import { SIGHT_NAMES } from '../lists/sight-names.ts'
import { GROUPINGS, UNITS, useView } from '../state/view.ts'
import { sendPageCommand, sendStripCommand } from '../state/commands.ts'

export const SHORTCUTS: { keys: string; does: string }[] = [
  { keys: '← →', does: 'frame before, frame after' },
  { keys: 'Shift ← →', does: 'frame over budget before, after' },
  { keys: 'n, Shift n', does: 'the game’s own spike after, before' },
  { keys: 'Home End', does: 'first frame, last frame' },
  { keys: 'a', does: 'all frames again' },
  { keys: '↑ ↓', does: 'up and down the page' },
  { keys: '+ −', does: 'closer to the page, further away' },
  { keys: '0', does: 'the whole frame' },
  { keys: 'i o', does: 'closer to the strip, further away' },
  { keys: 'w', does: 'the whole strip' },
  { keys: 'r', does: 'with or without the recorder’s own cost' },
  { keys: 'Space', does: 'while recording: freeze, or live again' },
  { keys: '1 … 9', does: 'frame, ledger, spikes, memory, roster, scaling, waiting, forecast, proof' },
  { keys: 't', does: 'the trial, where there is one' },
  { keys: 'f', does: 'findings, or room for the rest' },
  { keys: 'p', does: 'the plan, or room for the rest' },
  { keys: 'e', does: 'the frame as recorded, or as it would have been with the plan' },
  { keys: 'Ctrl Z, Ctrl Shift Z', does: 'take back a change of the plan, or make it again' },
  { keys: 'c', does: 'lay a usual frame beside this one, or the ledger' },
  { keys: 's', does: 'ledger of all, spikes, typical frames, their difference' },
  { keys: 'b', does: 'ledger by path, marker, group, lane, caller' },
  { keys: 'u', does: 'next unit in the ledger' },
  { keys: '/', does: 'search in the ledger' },
  { keys: 'Esc', does: 'choose nothing' },
  { keys: '?', does: 'this list' },
]

interface Doings {
  openHelp(): void
  /** Freezes a recording, or goes on with it; absent when nothing is being recorded. */
  freeze?(): void
}

export function useShortcuts(take: OpenTake | null, budgetMs: number, doings: Doings): void {
  const latest = useRef(doings)
  latest.current = doings
  useEffect(() => {
    if (take === null) return
    const { step, stepOver, stepSpike } = frameSteps(take, budgetMs)
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement
      if (target.closest('input, textarea, select, [role=dialog], [role=listbox], [role=radiogroup]')) return
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
        event.preventDefault()
        const { undo, redo } = usePlan.getState()
        if (event.shiftKey) redo()
        else undo()
        return
      }
      if (event.ctrlKey || event.metaKey || event.altKey) return
      const { change, by, unit, scope, frame, beside, withoutRecorder } = useView.getState()
      const cycle = <T>(values: readonly T[], value: T): T =>
        values[(values.indexOf(value) + 1) % values.length]!
      const actions: Record<string, () => void> = {
        ArrowLeft: () => (event.shiftKey ? stepOver(-1) : step(-1)),
        ArrowRight: () => (event.shiftKey ? stepOver(1) : step(1)),
        n: () => stepSpike(1),
        N: () => stepSpike(-1),
        Home: () => change({ frame: 0 }),
        End: () => change({ frame: take.frames.startNs.length - 1 }),
        a: () => change({ range: null }),
        ArrowUp: () => sendPageCommand('up'),
        ArrowDown: () => sendPageCommand('down'),
        '+': () => sendPageCommand('in'),
        '=': () => sendPageCommand('in'),
        '-': () => sendPageCommand('out'),
        '0': () => sendPageCommand('fit'),
        b: () => change({ by: cycle(GROUPINGS, by) }),
        u: () => change({ unit: cycle(UNITS, unit) }),
        '/': () => document.getElementById('ledger-search')?.focus(),
        s: () => change({ scope: cycle(LEDGER_SCOPES, scope) }),
        c: () =>
          change({ sight: 'frame', beside: beside === null ? quietFrame(take, frame, budgetMs) : null }),
        f: () => {
          const { findingsOpen, setFindingsOpen } = useSettings.getState()
          setFindingsOpen(!findingsOpen)
        },
        p: () => {
          const { planOpen, setPlanOpen } = useSettings.getState()
          setPlanOpen(!planOpen)
        },
        e: () => change({ planned: !useView.getState().planned }),
        ...Object.fromEntries(
          SIGHT_NAMES.slice(0, 9).map((sight, i) => [String(i + 1), () => change({ sight })]),
        ),
        t: () => change({ sight: 'trial' }),
        Escape: () => change({ path: null, finding: null }),
        i: () => sendStripCommand('in'),
        o: () => sendStripCommand('out'),
        w: () => sendStripCommand('all'),
        r: () => {
          if (take.detail.conditions.recorder !== undefined) change({ withoutRecorder: !withoutRecorder })
        },
        '?': () => latest.current.openHelp(),
      }
      // A button in focus answers to Space itself.
      if (event.key === ' ' && latest.current.freeze !== undefined && target.closest('button, a') === null) {
        event.preventDefault()
        latest.current.freeze()
        return
      }
      const action = actions[event.key]
      if (action === undefined) return
      event.preventDefault()
      action()
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  }, [take, budgetMs])
}
