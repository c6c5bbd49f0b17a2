/** Cases on both sides of every figure of the remedies: what they suggest, and when. */
import { fitFrames } from '@lapsus/core/detect'
import { JOB_BEGUN, JOB_ENDED } from '@lapsus/core/format'
import type { NumberInput, PlanItem } from '@lapsus/core/remedy'
import { between, MS, still, type Edge } from './edges.ts'
import { forecastOn, item } from './plans.ts'
import { run, runs, type TestFrame } from './studies.ts'

function inputsOf(frames: TestFrame[], one: PlanItem): NumberInput[] {
  return forecastOn(frames, [one]).forecast.items[0]!.inputs as NumberInput[]
}

const inputOf = (frames: TestFrame[], one: PlanItem, name: string): NumberInput =>
  inputsOf(frames, one).find((input) => input.name === name)!

/** A figure that is suggested as it is. */
const suggested =
  (value: () => number): Edge =>
  (limit) =>
    between(0.999 * limit, 1.001 * limit, (most) => value() <= most)

const working = (ms: number): TestFrame[] =>
  Array.from({ length: 60 }, () => ({ runs: [run('rest', 8 * MS), run('work', ms * MS)] }))

/** Audits at every 20th frame, of which so many of ten are in the frames of the sweep. */
const sweeping = (partners: number, common = 10): TestFrame[] =>
  Array.from({ length: 200 }, (_, frame) => {
    const isCommon = Math.floor(frame / 20) < common
    const own = frame % 20 === (isCommon ? 5 : 6)
    const names = Array.from({ length: own ? partners : 0 }, (_, i) => `audit ${i}`)
    return {
      runs: [
        run('base', MS),
        ...(frame % 20 === 5 ? [run('sweep', 3 * MS)] : []),
        ...names.map((name) => run(name, 2 * MS)),
      ],
    }
  })

const partnersIn = (frames: TestFrame[]) =>
  inputsOf(frames, item('stagger', ['sweep'], { with: 'audit 0' })).filter(({ name }) =>
    name.startsWith('shift '),
  ).length

/** So many are there in the first part of the take, far more later. */
const growingAfter = (share: number): TestFrame[] =>
  Array.from({ length: 200 }, (_, frame) => ({
    runs: [run('ghosts', MS)],
    updaters: { ghost: [frame < 200 * share ? 10 : 90, 0, 0] as [number, number, number] },
  }))

/** Each frame waits 3 ms for a job of 5 ms. */
function joining(one: PlanItem) {
  const frames: TestFrame[] = Array.from({ length: 60 }, () => ({
    runs: [run('work', 2 * MS), run('join', 3 * MS), run('draw', MS)],
    worker: [run('blow', 5 * MS)],
  }))
  const jobs = frames.map((_, i) => i)
  return forecastOn(frames, [one], {
    markers: { blow: {}, join: { kind: 'wait:job' } },
    jobs: {
      job: Uint32Array.from(jobs.flatMap((i) => [i + 1, i + 1])),
      event: Uint8Array.from(jobs.flatMap(() => [JOB_BEGUN, JOB_ENDED])),
      lane: Uint32Array.from(jobs.flatMap(() => [1, 1])),
      marker: Uint32Array.from(jobs.flatMap(() => [0, 0])),
      atNs: Float64Array.from(jobs.flatMap((i) => [i * 6 * MS, i * 6 * MS + 5 * MS])),
    },
  }).forecast.items[0]!
}
const joinInputs = () => joining(item('split-job', ['join'])).inputs as NumberInput[]

export const REMEDY_EDGES: Record<string, Edge> = {
  'cap.BEGINNING': (beginning) =>
    between(
      beginning - 0.05,
      beginning,
      (share) => inputOf(growingAfter(share), item('cap', ['ghosts']), 'most').suggested === 10,
    ),
  'timer.ALLOWED_MS': suggested(() => inputOf(working(2), item('timer', ['work']), 'allowed').suggested),
  'stagger.COMMON': (least) =>
    between(10 * least - 1, 10 * least, (common) => partnersIn(sweeping(1, common)) === 1),
  'stagger.MOST_PARTNERS': (most) =>
    between(most + 1, most, (partners) => partnersIn(sweeping(partners)) === partners),
  // Frames leave 10 ms.
  'slice.USED': suggested(() => {
    const frames: TestFrame[] = Array.from({ length: 200 }, (_, i) => ({
      runs: [run('rest', 1e9 / 60 - 10 * MS), ...(i % 40 === 9 ? [run('plan', 20 * MS)] : [])],
    }))
    return inputOf(frames, item('slice', ['plan']), 'budget').suggested / 10
  }),
  'jobs.DISPATCH_US': suggested(() => inputOf(working(2), item('jobs', ['work']), 'dispatch').suggested),
  'jobs.MOST_WORKERS': (most) =>
    between(most + 1, most, (workers) => {
      const [forecast] = forecastOn(working(2), [item('jobs', ['work'], { workers })]).forecast.items
      return forecast!.problems.length === 0
    }),
  // Little work: no piece of it is worth more than handing it over costs.
  'jobs.WORTH': suggested(() => {
    const inputs = inputsOf(working(0.01), item('jobs', ['work']))
    const of = (name: string) => inputs.find((input) => input.name === name)!.suggested
    return (of('grain') * 1000) / of('dispatch')
  }),
  'jobs.MOST_SUGGESTED': suggested(() => inputOf(working(400), item('jobs', ['work']), 'workers').suggested),
  // Where nothing tells when jobs are handed over.
  'split-job.DISPATCH_US': suggested(() => joinInputs().find(({ name }) => name === 'dispatch')!.suggested),
  'split-job.MOST_PARTS': (most) =>
    between(most + 1, most, (parts) => joining(item('split-job', ['join'], { parts })).problems.length === 0),
  'bucket.CELLS': suggested(() => inputOf(working(2), item('bucket', ['work']), 'cells').suggested),
  // Where loads come near to none, the law tells what is left at none.
  'bucket.FAR': (far) =>
    between(far + 0.02, far - 0.02, (least) => {
      const frames = still(400, (frame) => {
        const load = 200 * (least + ((1 - least) * (frame % 20)) / 19)
        return { inside: runs(20, 'seek', Math.round(100 * load)), gauges: { others: load } }
      })
      return inputOf(frames, item('bucket', ['sim', 'seek']), 'variable').origin === 'measured'
    }),
  // With more and more up and down beside the line.
  'bucket.LEAST_EXPLAINED': (least) => {
    const loadAt = (frame: number) => 100 + 10 * (frame % 20)
    const costNs = (off: number, frame: number) =>
      Math.round(100 * (loadAt(frame) + (frame % 2 === 0 ? off : -off)))
    const all = Array.from({ length: 400 }, (_, frame) => frame)
    const explained = (off: number) =>
      fitFrames(
        Float64Array.from(all, loadAt),
        Float64Array.from(all, (frame) => costNs(off, frame)),
        new Uint8Array(400).fill(1),
      ).explained
    const steps = Array.from({ length: 200 }, (_, i) => i / 2)
    const first = steps.findIndex((off) => explained(off) < least)
    return between(steps[first]!, steps[first - 1]!, (off) => {
      const frames = still(400, (frame) => ({
        inside: runs(20, 'seek', costNs(off, frame)),
        gauges: { others: loadAt(frame) },
      }))
      return inputOf(frames, item('bucket', ['sim', 'seek']), 'variable').origin === 'measured'
    })
  },
  'one-manager.CALL_NS': suggested(
    () => 1000 * inputOf(working(2), item('one-manager', ['work']), 'call').suggested,
  ),
}
