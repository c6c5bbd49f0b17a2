import { framesWithoutRecorder, NO_PATH, recorderCost } from '../take/index.ts'
import type { PathCourse, Study } from './study.ts'

/** The study with the recorder's estimated share taken out of every time, never below 0 (rollup/recorder). */
export function studyWithoutRecorder(study: Study): Study {
  const { recorder } = study.conditions
  if (recorder === undefined) return study
  const { insideNs, outsideNs } = recorderCost(recorder)
  const courses = new Map<number, PathCourse>()
  for (const [path, course] of study.courses) {
    courses.set(path, { ...course, selfNs: course.selfNs.slice(), totalNs: course.totalNs.slice() })
  }
  /** What the recorder added to the total of each path in each frame it ran in. */
  const added = new Map<number, Float64Array>()
  for (const [path, { frame }] of courses) added.set(path, new Float64Array(frame.length))
  // Children have higher numbers than their parents, so that each is complete before it is passed on.
  for (const path of [...courses.keys()].sort((a, b) => b - a)) {
    const own = courses.get(path)!
    const shares = added.get(path)!
    const { parent } = study.paths.get(path)
    const above = parent === NO_PATH ? undefined : courses.get(parent)
    const aboveShares = added.get(parent)
    let at = 0
    for (let cell = 0; cell < own.frame.length; cell++) {
      const calls = own.calls[cell]!
      own.selfNs[cell]! -= calls * insideNs
      shares[cell]! += calls * insideNs
      own.totalNs[cell]! -= shares[cell]!
      if (above === undefined || aboveShares === undefined) continue
      while (above.frame[at]! < own.frame[cell]!) at++
      above.selfNs[at]! -= calls * outsideNs
      aboveShares[at]! += calls * outsideNs + shares[cell]!
    }
  }
  for (const { selfNs, totalNs } of courses.values()) {
    for (let cell = 0; cell < selfNs.length; cell++) {
      if (selfNs[cell]! < 0) selfNs[cell] = 0
      if (totalNs[cell]! < 0) totalNs[cell] = 0
    }
  }
  return { ...study, courses, frames: framesWithoutRecorder(study.frames, recorder) }
}
