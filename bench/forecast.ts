/** What a forecast of eight remedies over a ten-minute take costs. Run by scripts/bench.mjs. */
import { baseOf, forecastPlan, newItem, REMEDIES, type PlanItem } from '@lapsus/core/remedy'
import { coursesOf } from '@lapsus/core/rollup'
import { buildStudy, type StudyChunk } from '@lapsus/core/study'
import { Digester } from '@lapsus/core/take'
import { chunk, declaration, FRAMES } from './made-up-take.ts'
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

const item = (
  kind: keyof typeof REMEDIES,
  path: string[],
  parameters: PlanItem['parameters'] = {},
): PlanItem => ({
  ...newItem(kind, path, ''),
  parameters,
})
const system = (number: number) => [`system ${number}.0`]
const inside = (number: number) => [...system(number), `system ${number}.1`]

/** The dragged parameter is another each time. */
const plan = (round: number): { items: PlanItem[] } => ({
  items: [
    item('timer', system(0), { every: 2 + (round % 30) }),
    item('share', inside(1), { group: 3 }),
    item('jobs', system(2)),
    item('cache', inside(3)),
    item('bucket', inside(4)),
    item('gate', inside(5), { passes: 40 }),
    item('by-hand', system(6), { factor: 0.7 }),
    item('one-manager', inside(7)),
  ],
})

const refused = forecastPlan(base, plan(0)).forecast.items.flatMap(({ refusal }) => refusal ?? [])
if (refused.length > 0) throw new Error(refused.join('; '))
const forecastMs = summary(
  await repeat(ROUNDS, (round) => {
    forecastPlan(base, plan(round), { withGains: false }).replay.release()
  }),
)
console.log(JSON.stringify({ frames: FRAMES, readyMs, forecastMs }))
