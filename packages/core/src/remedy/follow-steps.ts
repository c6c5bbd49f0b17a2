/** Fixed steps played again: a frame that is shorter is followed by fewer of them. */
import { stepFigures } from '../detect/index.ts'
import { sum } from '../stats/index.ts'
import type { Collected } from './collecting.ts'
import { settledFrame } from './frames-after.ts'
import type { Replay } from './replay.ts'

/**
 * Changes the steps of each frame by what the frames before it have become shorter or longer: so many steps as that time
 * stands for. Does nothing where no marker runs once for each step.
 */
export function followSteps(replay: Replay, recorded: Collected, now: Collected): void {
  const { base } = replay
  const figures = base.once('steps', () => stepFigures(base.evidence))
  if (figures === null || figures.path === null) return
  const { path, lengthNs } = figures
  const { calls } = replay.columns(path)
  const tree = replay.treeNs(path)
  const planned = sum(calls)
  if (planned === 0 || !(lengthNs > 0)) return
  const usualNs = sum(tree) / planned
  const { steps, durationNs } = base.study.frames
  const most = replay.mostSteps
  const keep = replay.column().fill(1)
  const put = replay.column()
  /** Time that the frames so far take more than recorded, and steps that are owed for it, or were not needed. */
  let moreNs = 0
  let moreSteps = 0
  let changes = false
  for (let frame = 0; frame < base.count; frame++) {
    const due = Math.round(moreNs / lengthNs) - moreSteps
    const wanted = Math.max(0, steps[frame]! + due)
    const runs = Math.min(most, wanted)
    // What a limit leaves out is not made up for.
    moreSteps += wanted - steps[frame]!
    const eachNs = calls[frame]! > 0 ? tree[frame]! / calls[frame]! : usualNs
    const changedNs = (runs - calls[frame]!) * eachNs
    if (Math.abs(changedNs) > 0.5) {
      changes = true
      if (calls[frame]! > 0) keep[frame] = runs / calls[frame]!
      else put[frame] = changedNs
    }
    const collectedNs = now.pauseNs[frame]! - recorded.pauseNs[frame]!
    const workNs = Math.max(0, replay.workNs[frame]! + changedNs + collectedNs)
    moreNs += settledFrame(base, frame, workNs, replay.waitNs).durationNs - durationNs[frame]!
  }
  if (changes) replay.apply({ path, keep, put })
}
