/** What a newcomer's recording shows while it comes, and what would make it tell more. Pure. */
import type { TakeDetail } from '@lapsus/api'
import type { LedgerAnswer } from '@lapsus/core/questions/ledger'
import { idOfKey, laneOfKey } from '@lapsus/core/rollup'
import { MAIN_LANE } from '@lapsus/core/take'
import { ms, plural, three } from '@lapsus/core/words'

/** Frames that lie outside every marker by this share, or more, are probably waiting. */
const MUCH_OUTSIDE = 0.25
const NS_PER_MS = 1e6
const NS_PER_US = 1e3

export interface Arrival {
  /** Name and value of each figure, with what it is a figure of. */
  figures: { name: string; value: string; about: string }[]
  /** Frames lie outside markers for so long, ms a frame, of so many; null where most of them is marked. */
  outside: { ms: number; ofMs: number } | null
  /** What is not recorded yet, and what it would tell. */
  missing: string[]
}

/** @param ledger of all frames so far, by marker */
export function whatArrives(detail: TakeDetail, ledger: LedgerAnswer): Arrival {
  const { rows } = ledger
  const { frames, durationMs } = detail
  const frameMs = frames > 0 ? durationMs / frames : 0
  let marked = 0
  let calls = 0
  let said = 0
  let waits = false
  for (const row of rows) {
    calls += row.calls
    said += row.said
    if (laneOfKey(row.key) !== MAIN_LANE) continue
    marked += row.selfMs
    const marker = detail.markers.find(({ id }) => id === idOfKey(row.key))
    waits ||= marker?.kind.startsWith('wait:') === true
  }
  const outsideMs = frames > 0 ? Math.max(0, durationMs - marked) / frames : 0
  const { recorder } = detail.conditions
  const figures = [
    {
      name: 'frames a second',
      value: frameMs > 0 ? three(1000 / frameMs) : '–',
      about: 'All frames so far, over the time they took.',
    },
    {
      name: 'runs of markers',
      value: frames > 0 ? `${three(calls / frames)} a frame` : '–',
      about: 'On all lanes, mean of all frames so far.',
    },
    {
      name: 'in no marker',
      value: `${ms(outsideMs)} of ${ms(frameMs)}`,
      about: 'Time of a frame outside every marker, mean of all frames so far.',
    },
  ]
  if (recorder !== undefined) {
    const { spanNs, clockResolutionNs } = recorder
    figures.push(
      {
        name: 'clock step',
        value:
          clockResolutionNs < NS_PER_US
            ? `${three(clockResolutionNs)} ns`
            : `${three(clockResolutionNs / NS_PER_US)} µs`,
        about: 'Smallest step of the game’s clock. A shorter run tells nothing alone, only many together.',
      },
      {
        name: 'recording costs',
        value: frames > 0 ? `${ms(((calls / frames) * spanNs) / NS_PER_MS)} a frame` : '–',
        about: `${three(spanNs)} ns a run, measured by the recorder at its start.`,
      },
    )
  }
  figures.push({
    name: 'mended',
    value: plural(detail.repaired, 'call'),
    about: 'Markers that were entered and not left, or left and not entered.',
  })
  const missing: string[] = []
  if (!waits) missing.push('Nothing is marked as waiting: all of a frame counts as work.')
  if (calls > 0 && said === 0)
    missing.push('No run says whether it changed anything: that finds updates nobody needs.')
  if (detail.gauges.length === 0) missing.push('No gauges: they tell what a cost grows with.')
  if (detail.moments.length === 0) missing.push('No moments: they tell which event a spike belongs to.')
  return {
    figures,
    outside: outsideMs > MUCH_OUTSIDE * frameMs && frameMs > 0 ? { ms: outsideMs, ofMs: frameMs } : null,
    missing,
  }
}
