/** What comparing two ten-minute takes costs, and holding a take of 30 s against a budget. Run by scripts/bench.mjs. */
import { compareTakes } from '@lapsus/core/compare'
import { budgetOfTake, checkTakes } from '@lapsus/core/gate'
import { coursesOf } from '@lapsus/core/rollup'
import { buildStudy, type Study, type StudyChunk } from '@lapsus/core/study'
import { Digester } from '@lapsus/core/take'
import { chunk, declaration, FRAMES } from './made-up-take.ts'
import { repeat, summary } from './statistics.ts'

const FRAMES_PER_CHUNK = 128
const SHORT_FRAMES = 1_800

/** The next frames of the made-up game. */
function study(count: number): Study {
  const digester = new Digester()
  digester.declare(declaration)
  const chunks: StudyChunk[] = []
  for (let first = 0, sequence = 2; first < count; first += FRAMES_PER_CHUNK, sequence++) {
    const digested = digester.digest(chunk(sequence, first, Math.min(FRAMES_PER_CHUNK, count - first)))
    const courses = coursesOf(digested, digester.progress.paths)
    const { frames, samples, moments, dropped } = digested
    chunks.push({ frames, courses, samples, moments, beginsStretch: false, dropped })
  }
  return buildStudy({ conditions: {}, target: 60, ...digester.progress }, chunks)
}

const [before, after] = [study(FRAMES), study(FRAMES)]
const compareMs = summary(await repeat(3, () => void compareTakes([before], [after])))
const budget = budgetOfTake(study(SHORT_FRAMES))
// With reading its spans, as the command line does.
const checkMs = summary(
  await repeat(3, () => void checkTakes([{ name: 'short', study: study(SHORT_FRAMES) }], budget)),
)
console.log(JSON.stringify({ compareMs, checkMs, paths: before.courses.size }))
