/** What one path, or several as one, did over the frames. */
import { percentileSorted } from '../../stats/index.ts'
import { dense, frameCount, type Study } from '../../study/index.ts'

export interface CourseFigures {
  calls: Float64Array
  selfNs: Float64Array
  totalNs: Float64Array
  /** Runs a frame, over all frames, those without any included. */
  callsPerFrame: { least: number; median: number; most: number }
  /** Frames with the most self time, the worst first; numbers in the take. */
  peaks: number[]
}

const MOST_PEAKS = 8

export function courseFigures(study: Study, paths: readonly number[]): CourseFigures {
  const count = frameCount(study)
  const sum = (column: 'calls' | 'selfNs' | 'totalNs', of: readonly number[]) => {
    const total = new Float64Array(count)
    for (const path of of) {
      dense(study.courses.get(path), column, count).forEach((value, frame) => (total[frame]! += value))
    }
    return total
  }
  const calls = sum('calls', paths)
  const selfNs = sum('selfNs', paths)
  const sorted = calls.slice().sort()
  const order = [...selfNs.keys()].filter((frame) => selfNs[frame]! > 0)
  order.sort((a, b) => selfNs[b]! - selfNs[a]!)
  return {
    calls,
    selfNs,
    // A run inside another of the same marker is part of its total already.
    totalNs: sum(
      'totalNs',
      paths.filter((path) => paths.length === 1 || study.paths.get(path).outermostOfMarker),
    ),
    callsPerFrame: {
      least: sorted[0] ?? 0,
      median: count === 0 ? 0 : percentileSorted(sorted, 0.5),
      most: sorted.at(-1) ?? 0,
    },
    peaks: order.slice(0, MOST_PEAKS).map((frame) => frame + study.firstFrame),
  }
}
