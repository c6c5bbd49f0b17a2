/** Waits for jobs mended where their cause is: forecasts against games in which the same is done. */
import { expect } from 'chai'
import { gatherEvidence } from '@lapsus/core/detect'
import { baseOf, forecastPlan, optionsOf } from '@lapsus/core/remedy'
import { JOB_BEGUN, JOB_DISPATCHED, JOB_ENDED } from '@lapsus/core/format'
import { findingReports } from '@lapsus/core/questions/diagnosis'
import { item } from './support/plans.ts'
import { randomFrom, run, studyFrom, type TestFrame } from './support/studies.ts'

const MS = 1e6
const FRAMES = 200

interface Played {
  /** Work before the job is handed over, from there to the join, and the job’s run, ns. */
  beforeNs: number
  betweenNs: number
  jobNs: number
}

/** What the frames of a game are made of. */
const parts = (seed: number): Played[] => {
  const random = randomFrom(seed)
  return Array.from({ length: FRAMES }, () => ({
    beforeNs: Math.round((1 + 3 * random()) * MS),
    betweenNs: Math.round((1 + 4 * random()) * MS),
    jobNs: Math.round((2 + 8 * random()) * MS),
  }))
}

/** How long a job waits for its worker, ns. */
const HAND_OVER_NS = 30_000

/** The same game, whose join waits for what is left of its job. */
function play(
  frames: Played[],
  { refresh = false, isLate = false }: { refresh?: boolean; isLate?: boolean } = {},
) {
  const events: { job: number; event: number; lane: number; atNs: number }[] = []
  const waits: number[] = []
  let atNs = 0
  let lastEndNs = -Infinity
  const told = frames.map(({ beforeNs, betweenNs, jobNs }, i): TestFrame => {
    const handedNs = atNs + beforeNs
    const endNs = handedNs + HAND_OVER_NS + jobNs
    const at = (event: number, lane: number, ns: number) => events.push({ job: i + 1, event, lane, atNs: ns })
    at(JOB_DISPATCHED, 0, handedNs)
    at(JOB_BEGUN, 1, handedNs + HAND_OVER_NS)
    at(JOB_ENDED, 1, endNs)
    const joinNs = handedNs + betweenNs
    const waitNs = Math.max(0, (isLate ? lastEndNs : endNs) - joinNs)
    lastEndNs = endNs
    waits.push(waitNs)
    const busyNs = beforeNs + betweenNs + waitNs
    const restNs = refresh ? Math.ceil(busyNs / (16 * MS)) * 16 * MS - busyNs : 0
    atNs += busyNs + restNs
    return {
      runs: [
        run('before', beforeNs),
        run('between', betweenNs),
        ...(waitNs > 0 ? [run('join', waitNs)] : []),
        ...(restNs > 0 ? [run('refresh', restNs)] : []),
      ],
      worker: [run('wind', jobNs)],
    }
  })
  const column = (name: keyof (typeof events)[number]) => events.map((event) => event[name])
  const study = studyFrom(told, {
    markers: { wind: {}, join: { kind: 'wait:job' }, refresh: { kind: 'wait:refresh' } },
    jobs: {
      job: Uint32Array.from(column('job')),
      event: Uint8Array.from(column('event')),
      lane: Uint32Array.from(column('lane')),
      marker: Uint32Array.from(events, () => 0),
      atNs: Float64Array.from(column('atNs')),
    },
  })
  return { study, waits }
}

const JOIN = ['join']

function forecast(frames: Played[], one: ReturnType<typeof item>, refresh = false) {
  const { study } = play(frames, { refresh })
  const { forecast } = forecastPlan(baseOf(study), { items: [one] })
  const [found] = forecast.items
  expect([found!.refusal, found!.problems]).to.deep.equal([null, []])
  return { ...found!, frames: forecast.frames, before: study.frames }
}

const expectWaits = (found: ArrayLike<number>, played: number[]) => {
  expect(found.length).to.equal(played.length)
  played.forEach((ns, frame) => expect(found[frame], `frame ${frame}`).to.be.closeTo(ns, 2))
}

describe('a wait for a job', () => {
  const frames = parts(4)

  it('is what is left of the job when the join comes', () => {
    expect(play(frames).waits.filter((ns) => ns > 0).length).to.be.within(80, 195)
  })

  it('ends earlier where the job is smaller', () => {
    const {
      frames: after,
      gainMsPerFrame,
      price,
      notes,
    } = forecast(frames, item('shrink-job', JOIN, { left: 60 }))
    const played = play(frames.map((one) => ({ ...one, jobNs: Math.round(one.jobNs * 0.6) })))
    expectWaits(after.waitNs.job, played.waits)
    const mean = (values: number[]) => values.reduce((sum, ns) => sum + ns, 0) / values.length / MS
    expect(gainMsPerFrame).to.be.closeTo(mean(play(frames).waits) - mean(played.waits), 1e-4)
    const still = played.waits.filter((ns) => ns > 0).length
    expect(price[1]).to.match(new RegExp(`^${still} frames of \\d+ still wait`))
    expect(notes[0]).to.equal('what is gained is waiting, not work')
  })

  it('ends earlier where several do the job', () => {
    const { frames: after } = forecast(frames, item('split-job', JOIN, { parts: 3, dispatch: 50 }))
    expectWaits(
      after.waitNs.job,
      play(frames.map((one) => ({ ...one, jobNs: one.jobNs / 3 + 2 * 50_000 }))).waits,
    )
  })

  it('ends earlier where the job is handed over earlier, at most at the frame’s beginning', () => {
    const { frames: after } = forecast(frames, item('start-earlier', JOIN, { by: 2 }))
    const played = frames.map((one) => {
      const by = Math.min(2 * MS, one.beforeNs)
      return { ...one, beforeNs: one.beforeNs - by, betweenNs: one.betweenNs + by }
    })
    expectWaits(after.waitNs.job, play(played).waits)
  })

  it('is hardly any where the result is taken a frame later', () => {
    const long = frames.map((one, i) => (i % 20 === 3 ? { ...one, jobNs: 30 * MS } : one))
    const { frames: after, latencyFrames } = forecast(long, item('join-later', JOIN))
    const { waits } = play(long, { isLate: true })
    // A frame that waits for nothing now told nothing of its join: it is taken to be where the one before had it.
    const sumOf = (all: ArrayLike<number>) => Array.from(all).reduce((sum, ns) => sum + ns, 0)
    expect(sumOf(after.waitNs.job)).to.be.closeTo(sumOf(waits), 0.1 * sumOf(waits))
    expect(sumOf(after.waitNs.job)).to.be.lessThan(sumOf(play(long).waits) / 2)
    for (let frame = 3; frame < FRAMES; frame += 20)
      expect(after.waitNs.job[frame + 1], `frame ${frame + 1}`).to.be.closeTo(waits[frame + 1]!, 5 * MS)
    expect(latencyFrames).to.deep.equal({ mean: 1, worst: 1 })
  })

  it('makes frames shorter by whole refreshes where they wait for them', () => {
    const { frames: after, before } = forecast(frames, item('shrink-job', JOIN, { left: 10 }), true)
    const played = play(
      frames.map((one) => ({ ...one, jobNs: Math.round(one.jobNs * 0.1) })),
      { refresh: true },
    ).study.frames
    expect([...after.durationNs].map((ns) => Math.round(ns / MS))).to.deep.equal(
      [...played.durationNs].map((ns) => Math.round(ns / MS)),
    )
    expect(Math.max(...before.durationNs)).to.be.at.least(Math.max(...after.durationNs))
  })

  it('is offered with its finding, each remedy with what it gains there', () => {
    const { study } = play(frames)
    const evidence = gatherEvidence(study)
    const found = findingReports(evidence).find(({ kind }) => kind === 'job-wait')!
    expect(found.remedies).to.deep.equal([
      'shrink-job',
      'split-job',
      'start-earlier',
      'join-later',
      'by-hand',
    ])
    const options = optionsOf(baseOf(study), {
      ...{ path: found.path, subject: found.subject, remedies: found.remedies, frames: found.frames },
    })
    expect(options.map(({ helps, refusal }) => [helps, refusal])).to.deep.equal(
      found.remedies.map(() => [true, null]),
    )
    for (const { gainMsPerFrame } of options)
      expect(gainMsPerFrame).to.be.within(0.01, found.costMsPerFrame + 1e-6)
  })

  it('is told apart from other paths, and from waits of which nobody tells the job', () => {
    const refusal = (study: ReturnType<typeof play>['study'], path: string[]) =>
      forecastPlan(baseOf(study), { items: [item('split-job', path)] }).forecast.items[0]!.refusal
    expect(refusal(play(frames).study, ['before'])).to.contain('does not wait for a job')
    expect(refusal({ ...play(frames).study, jobs: [] }, JOIN)).to.contain('no job is told of')
    const early = frames.map((one) => ({ ...one, beforeNs: 0 }))
    const items = [item('start-earlier', JOIN)]
    expect(forecastPlan(baseOf(play(early).study), { items }).forecast.items[0]!.refusal).to.contain(
      'as the frame begins',
    )
  })
})
