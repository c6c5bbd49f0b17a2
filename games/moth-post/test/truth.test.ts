/** The game's known flaws are found for what they are, and a night without them is not blamed for any. */
import { expect } from 'chai'
import { createProbe, type Sink } from '@lapsus/probe'
import { findAll, gatherEvidence, isFolded } from '@lapsus/core/detect'
import { RecordReader } from '@lapsus/core/format'
import { coursesOf } from '@lapsus/core/rollup'
import { buildStudy, type StudyChunk } from '@lapsus/core/study'
import { Digester } from '@lapsus/core/take'
import { PostOffice } from '../src/post-office.ts'
import { DEFAULTS, LANTERNS, parseFlaws } from '../src/settings.ts'

/** Twelve seconds of play, as fast as it goes. */
const STEPS = 720

/** Kinds and markers of what is found in a night, without what is below 1 % of the budget. */
async function foundIn(flaws: string): Promise<string[]> {
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
  const evidence = gatherEvidence(buildStudy({ conditions: {}, target: 60, ...digester.progress }, chunks))
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
  it('comes out of a night with all flaws', async function () {
    this.timeout(60_000)
    expect(await foundIn('all')).to.include.members(CERTAIN)
  })

  it('is that a night without flaws has none of them', async function () {
    this.timeout(60_000)
    const found = await foundIn('none')
    expect(found.filter((one) => KINDS.includes(one.split(':')[0]!))).to.deep.equal([])
  })
})
