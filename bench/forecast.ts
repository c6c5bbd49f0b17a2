/** What a forecast of eight remedies over a ten-minute take costs. Run by scripts/bench.mjs. */
import { baseOf, forecastPlan, newItem, type PlanItem } from '@lapsus/core/remedy'
import { coursesOf } from '@lapsus/core/rollup'
import { buildStudy, type StudyChunk } from '@lapsus/core/study'
import { Digester } from '@lapsus/core/take'
import { chunk, declaration, EIGHT, FRAMES } from './made-up-take.ts'
import { repeat, summary } from './statistics.ts'

const FRAMES_PER_CHUNK = 128
const ROUNDS = 40

const digester = new Digester()
digester.declare(declaration)
const chunks: StudyChunk[] = []
for (let first = 0, sequence = 2; first < FRAMES; first += FRAMES_PER_CHUNK, sequence++) {
  const digested = digester.digest(chunk(sequence, first, Math.min(FRAMES_PER_CHUNK, FRAMES - first)))
  const courses = coursesOf(digested, digester.progress.paths)
  const { frames, samples, moments, dropped } = digested
  chunks.push({ frames, courses, samples, moments, beginsStretch: false, dropped })
}
const study = buildStudy({ conditions: {}, target: 60, ...digester.progress }, chunks)

const startMs = performance.now()
const base = baseOf(study)
const readyMs = performance.now() - startMs

/** All of the plan, with another value of its first item each time. */
const plan = (round: number): { items: PlanItem[] } => ({
  items: EIGHT.map(({ remedy, path, parameters = {} }, i) => ({
    ...newItem(remedy, path, ''),
    parameters: i === 0 ? { every: 2 + (round % 30) } : parameters,
  })),
})

const refused = forecastPlan(base, plan(0)).forecast.items.flatMap(({ refusal }) => refusal ?? [])
if (refused.length > 0) throw new Error(refused.join('; '))
const forecastMs = summary(
  await repeat(ROUNDS, (round) => {
    forecastPlan(base, plan(round), { withGains: false }).replay.release()
  }),
)
console.log(JSON.stringify({ frames: FRAMES, readyMs, forecastMs }))
