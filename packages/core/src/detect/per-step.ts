/** Frames as they would be with the usual number of fixed steps: what steps cost is judged by the step. */
import type { PathCourse, Study } from '../study/index.ts'

/**
 * Times of the path that runs once for each step, and of all inside it, × usual steps ÷ steps of that frame; the frame’s
 * work has so much more or less. A display that grows slower doubles the steps of a frame, and changes nothing in the game.
 * @param usual steps of a frame
 */
export function perStep(study: Study, stepPath: number, usual: number): Study {
  const { steps } = study.frames
  const factorAt = (frame: number): number => (steps[frame]! > 0 ? usual / steps[frame]! : 1)
  const courses = new Map(study.courses)
  const workNs = study.frames.workNs.slice()
  for (const [path, course] of study.courses) {
    if (!study.paths.chain(path).includes(stepPath) || study.paths.get(path).kind !== 'work') continue
    const judged: PathCourse = { ...course, selfNs: course.selfNs.slice(), totalNs: course.totalNs.slice() }
    for (let cell = 0; cell < course.frame.length; cell++) {
      const frame = course.frame[cell]!
      judged.selfNs[cell]! *= factorAt(frame)
      judged.totalNs[cell]! *= factorAt(frame)
      workNs[frame]! += judged.selfNs[cell]! - course.selfNs[cell]!
    }
    courses.set(path, judged)
  }
  return { ...study, courses, frames: { ...study.frames, workNs } }
}
