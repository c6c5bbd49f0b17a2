import type { FindingReport } from '@lapsus/core/questions/diagnosis'
import type { OpenTake } from '../state/take.ts'
import { useView, type View } from '../state/view.ts'

/** The view that shows a finding's evidence: scoped, turned to its path and to its first frame. */
function viewOf(finding: FindingReport, typicalFrame: number | null): Partial<View> {
  const [frame] = finding.frames
  const common = { finding: finding.id, path: finding.pathId, ...(frame === undefined ? {} : { frame }) }
  switch (finding.view) {
    case 'page':
      return { ...common, sight: 'frame', beside: typicalFrame }
    case 'ledger':
      return { ...common, sight: 'ledger', by: 'path', scope: 'chosen', search: '' }
    case 'scaling':
      return { ...common, sight: 'scaling', loads: finding.load === null ? [] : [finding.load] }
    default:
      return { ...common, sight: finding.view }
  }
}

/** Opens the evidence of a finding; choosing it again lets go of it. */
export function showFinding(finding: FindingReport, take: OpenTake, budgetMs: number): void {
  const { finding: chosen, change } = useView.getState()
  if (chosen === finding.id) change({ finding: null, path: null })
  else
    change(
      viewOf(finding, finding.frames[0] === undefined ? null : quietFrame(take, finding.frames[0], budgetMs)),
    )
}

/** Frames on either side among which a usual one is looked for. */
const REACH = 60

/** The frame nearby whose work is in the middle of those around: to be laid beside a bad one. */
export function quietFrame({ frames }: OpenTake, frame: number, budgetMs: number): number | null {
  const from = Math.max(0, frame - REACH)
  const around = [...frames.workNs.subarray(from, frame + REACH + 1).keys()]
    .map((i) => from + i)
    .filter((at) => at !== frame && frames.workNs[at]! <= budgetMs * 1e6)
    .sort((a, b) => frames.workNs[a]! - frames.workNs[b]!)
  return around[around.length >> 1] ?? null
}
