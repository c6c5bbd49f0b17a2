/** The game's known flaws are found for what they are, and a night without them is not blamed for any. */
import { expect } from 'chai'
import { createProbe, type Sink } from '@lapsus/probe'
import { findAll, gatherEvidence, isFolded } from '@lapsus/core/detect'
import { RecordReader } from '@lapsus/core/format'
import { coursesOf } from '@lapsus/core/rollup'
import { baseOf, forecastPlan, newItem } from '@lapsus/core/remedy'
import { buildStudy, pathNames, type Study, type StudyChunk } from '@lapsus/core/study'
import { Digester } from '@lapsus/core/take'
import { isLong } from '../../../test/support/extent.ts'
import { PostOffice } from '../src/post-office.ts'
import { DEFAULTS, LANTERNS, parseFlaws } from '../src/settings.ts'

/** Twelve seconds of play, as fast as it goes. */
const STEPS = 720

/** A night as a study of it. */
async function night(flaws: string): Promise<Study> {
  const digester = new Digester()
  const chunks: StudyChunk[] = []
  const reader = new RecordReader()
  const sink: Sink = {
    hasRoom: () => true,
    put: (bytes) =>
      reader.push(bytes, (record) => {
        if (record.record === 'declare') digester.declare(record)
        if (record.record !== 'chunk') return
        const { stretch, ...chunk } = digester.digest(record)
        const courses = coursesOf(chunk, digester.progress.paths)
        chunks.push({ ...chunk, courses, beginsStretch: stretch !== null })
      }),
    close: () => Promise.resolve(),
  }
  const probe = createProbe({ game: 'Moth Post', to: sink })
  const settings = { ...DEFAULTS, lanterns: LANTERNS, rampS: null, flaws: parseFlaws(flaws) }
  const post = new PostOffice(settings, probe)
  for (let step = 0; step < STEPS; step++) {
    probe.frame()
    post.step()
  }
  await probe.close()
  return buildStudy({ conditions: {}, target: 60, ...digester.progress }, chunks)
}

/** Kinds and markers of what is found in a night, without what is below 1 % of the budget. */
async function foundIn(flaws: string): Promise<string[]> {
  const evidence = gatherEvidence(await night(flaws))
  return findAll(evidence)
    .filter((finding) => !isFolded(finding, evidence.budgetNs))
    .map(({ kind, path }) => `${kind}: ${path === null ? '' : evidence.names(path).at(-1)}`)
}

/** Those that do not depend on how fast the machine is; `npm run accuracy` plays all. */
const CERTAIN = [
  'needless-updates: moth.update',
  'repeated-check: belt.test',
  'lookup-in-update: lantern.find',
  'polling: tally.text',
  'growth: dead.look',
]
const KINDS = CERTAIN.map((found) => found.split(':')[0]!)

describe('truth about Moth Post', () => {
  it('comes out of a night with all flaws', async () => {
    expect(await foundIn('all')).to.include.members(CERTAIN)
  })

  it('is that a night without flaws has none of them', async () => {
    const found = await foundIn('none')
    expect(found.filter((one) => KINDS.includes(one.split(':')[0]!))).to.deep.equal([])
  })

  /** A night in which the clock goes on by the same at each reading, so that like runs take alike long. */
  const steadyNight = async (flaws: string): Promise<Study> => {
    const now = performance.now
    let readings = 0
    const beganMs = now.call(performance)
    performance.now = () => beganMs + ++readings / 1000
    try {
      return await night(flaws)
    } finally {
      performance.now = now
    }
  }

  /** Runs of a path in a night. */
  const runsOf = (study: Study, path: string[]): number => {
    const found = [...study.courses.values()].find(
      (course) => pathNames(study, course.path).join() === path.join(),
    )
    return found?.calls.reduce((sum, calls) => sum + calls, 0) ?? 0
  }

  /** Remedies that leave runs out, and the flaw whose fix does the same. */
  const LEFT_OUT = [
    { flaw: 'roost-awake', remedy: 'sleep', path: ['sim.step', 'moths.update', 'moth.update'] },
    { flaw: 'tally-rebuild', remedy: 'react', path: ['tally.update', 'tally.text'] },
    { flaw: 'belt-retest', remedy: 'hoist', path: ['sim.step', 'belts.step', 'belt.rules', 'belt.test'] },
    {
      flaw: 'name-search',
      remedy: 'drop',
      path: ['sim.step', 'moths.update', 'moth.update', 'moth.steer', 'lantern.find'],
    },
  ] as const

  it('is that as many runs are left by the fix as by the forecast of it', async () => {
    const mended = await steadyNight('none')
    for (const { flaw, remedy, path } of isLong ? LEFT_OUT : LEFT_OUT.slice(0, 2)) {
      const flawed = await steadyNight(flaw)
      const { forecast, replay } = forecastPlan(baseOf(flawed), { items: [newItem(remedy, [...path], '')] })
      expect(forecast.items[0]!.refusal, flaw).to.equal(null)
      const left = replay.columns(forecast.items[0]!.path!).calls.reduce((sum, calls) => sum + calls, 0)
      const [before, after] = [runsOf(flawed, [...path]), runsOf(mended, [...path])]
      expect(before, flaw).to.be.greaterThan(after)
      expect(left, `${flaw}: ${before} runs, ${left} forecast, ${after} with the fix`).to.be.closeTo(after, 1)
    }
  })
})
