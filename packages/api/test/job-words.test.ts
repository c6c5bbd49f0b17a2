import { expect } from 'chai'
import { checkJob, jobWords, type JobInfo } from '../src/index.ts'

const job = (of: Partial<JobInfo>): JobInfo => ({
  ...{ id: 'job-number-1', kind: 'import', name: '', state: 'running', asked: '2026-01-01T00:00:00.000Z' },
  ...{ bytes: 0, ofBytes: null, frames: 0, ofFrames: null, secondsLeft: null },
  ...of,
})

describe('words for a job', () => {
  it('name it, and say how far it is of what is known', () => {
    expect(
      jobWords(job({ bytes: 2_500_000, ofBytes: 10_000_000, frames: 1200, secondsLeft: 20 })),
    ).to.deep.equal({
      what: 'Import',
      far: '2.50 MB of 10.0 MB, 1,200 frames, 20 seconds left',
      share: 0.25,
    })
    expect(jobWords(job({ kind: 'export', name: 'First night', frames: 30, ofFrames: 120 }))).to.deep.equal({
      what: 'Export: First night',
      far: '30 of 120 frames',
      share: 0.25,
    })
  })

  it('tell no share of what has no end yet, none while it waits, and none above the whole', () => {
    expect(jobWords(job({ bytes: 900, frames: 0 }))).to.deep.include({ far: '900 B', share: null })
    const waits = job({ state: 'waiting', bytes: 5, ofBytes: 10 })
    expect(jobWords(waits)).to.deep.include({ far: 'waits for its turn', share: null })
    expect(jobWords(job({ bytes: 11, ofBytes: 10 })).share).to.equal(1)
  })

  it('are of what holds together', () => {
    expect(checkJob(job({}))).to.deep.equal(job({}))
    for (const wrong of [
      { kind: 'chore' },
      { state: 'over' },
      { bytes: null },
      { ofBytes: 'all' },
      { id: 7 },
    ])
      expect(() => checkJob(job(wrong as never)), JSON.stringify(wrong)).to.throw(Object.keys(wrong)[0]!)
  })
})
