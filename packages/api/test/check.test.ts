/** What comes over the wire is refused, by field, before anything relies on it. */
import { expect } from 'chai'
import { encodeCbor } from '@lapsus/core/format'
import { emptyFrames, encodeFrames } from '@lapsus/core/take'
import {
  checkDemoGame,
  checkImport,
  checkLive,
  checkRecording,
  checkRecordings,
  checkSession,
  checkStorage,
  checkTake,
  checkTakes,
  storageWords,
} from '../src/index.ts'

const figures = {
  frames: 2,
  budgetMs: 16.7,
  work: { p50: 1, p95: 2, p99: 2, p999: 2, worst: 2 },
  over: 0,
  overShare: 0,
  overTimeMs: 0,
  late: 0,
  held: 0,
  heldBy: { refresh: 0, graphics: 0, job: 0, io: 0 },
}

const summary = {
  id: 'a-take-of-mine',
  game: 'Mine',
  name: '',
  note: '',
  tags: ['night'],
  state: 'complete',
  started: '2026-01-02T03:04:05Z',
  target: 60,
  conditions: {},
  frames: 2,
  spans: 3,
  durationMs: 33,
  dropped: 0,
  repaired: 0,
  setAside: 0,
  problems: [],
  setAsideRecords: [],
  continues: null,
  continuedBy: [],
  storedBytes: 100,
  figures,
}

const detail = {
  ...summary,
  markers: [{ id: 4, name: 'sim', group: '', groupId: 0, kind: 'work', at: null }],
  lanes: [{ id: 0, name: 'main' }],
  gauges: [],
  watches: [],
  classes: [],
  paths: [
    { parent: -1, lane: 0, marker: 4 },
    { parent: 0, lane: 0, marker: 4 },
  ],
  moments: [{ name: 'bell', atNs: 5, frame: 1, data: null }],
  stretches: [],
}

const recording = {
  id: 'r',
  take: 't',
  state: 'recording',
  seconds: 30,
  elapsedS: 1.5,
  frames: 90,
  message: '',
}

describe('answers of the server', () => {
  it('pass when they are as they should be', () => {
    expect(checkTakes([summary])).to.deep.equal([summary])
    expect(checkTakes([{ ...summary, figures: null }])[0]!.figures).to.equal(null)
    expect(checkTake(detail)).to.deep.equal(detail)
    expect(checkRecordings([recording])).to.deep.equal([recording])
    expect(checkImport({ take: 't', frames: 1, complete: true, problem: null }).frames).to.equal(1)
    const demo = {
      name: 'Moth Post',
      flaws: [{ id: 'f', text: 't', switched: true }],
      defaults: {},
      limits: {},
    }
    expect(checkDemoGame(demo)).to.deep.equal(demo)
  })

  it('give news of a recording with its frames read', () => {
    const frames = emptyFrames(2)
    frames.workNs.set([5, 7])
    const news = {
      state: 'recording',
      totalFrames: 9,
      dropped: 0,
      repaired: 0,
      markers: 1,
      paths: 1,
      firstFrame: 7,
      frames: encodeFrames(frames),
      gauges: [],
      moments: [],
      stretches: [],
    }
    expect([...checkLive(encodeCbor(news)).frames.workNs]).to.deep.equal([5, 7])
    expect(() => checkLive(encodeCbor({ ...news, frames: 'x' }))).to.throw('"frames"')
    expect(() => checkLive(encodeCbor({ ...news, state: 'gone' }))).to.throw('"state"')
  })

  it('are refused by the field that is wrong', () => {
    const cases: [() => unknown, string][] = [
      [() => checkTakes({ takes: [] }), '"takes"'],
      [() => checkTakes([{ ...summary, state: 'half' }]), '"state"'],
      [() => checkTakes([{ ...summary, frames: -1 }]), '"frames"'],
      [() => checkTakes([{ ...summary, note: null }]), '"note"'],
      [() => checkTakes([{ ...summary, figures: { ...figures, work: { p50: 1 } } }]), '"p95"'],
      [() => checkTake({ ...detail, markers: [{ ...detail.markers[0], at: { file: 'a' } }] }), '"line"'],
      [() => checkTake({ ...detail, markers: [{ ...detail.markers[0], at: undefined }] }), '"at"'],
      [() => checkTake({ ...detail, paths: [{ parent: 0, lane: 0, marker: 4 }] }), '"parent"'],
      [() => checkTake({ ...detail, paths: [{ parent: -1, lane: 0, marker: 9 }] }), '"marker"'],
      [() => checkTake({ ...detail, moments: [{ name: 'bell', atNs: NaN, frame: 1 }] }), '"atNs"'],
      [() => checkRecording({ ...recording, state: 'paused' }), '"state"'],
      [() => checkRecording(null), '"recording"'],
      [() => checkImport({ frames: 1 }), '"take"'],
      [() => checkDemoGame({ name: 'x', flaws: [{}] }), '"id"'],
      [() => checkDemoGame({ name: 'x', flaws: [{ id: 'f', text: 't' }] }), '"switched"'],
    ]
    for (const [check, field] of cases) expect(check).to.throw(field)
  })
})

describe('what takes use', () => {
  const report = { takes: 3, bytes: 4_180_000, keptTakes: 1, keptBytes: 5, keepDays: null, keepBytes: null }

  it('is refused when a figure is none, and a session that says neither yes nor no', () => {
    expect(checkStorage(report)).to.equal(report)
    expect(() => checkStorage({ ...report, keptTakes: -1 })).to.throw('"keptTakes"')
    expect(() => checkStorage({ ...report, keepDays: 'many' })).to.throw('"keepDays"')
    expect(checkSession({ isNeeded: true, isSignedIn: false })).to.include({ isNeeded: true })
    expect(() => checkSession({ isNeeded: 1, isSignedIn: false })).to.throw('"isNeeded"')
    expect(() => checkSession({ isNeeded: true })).to.throw('"isSignedIn"')
  })

  it('is said in sentences, with the rule where there is one', () => {
    expect(storageWords({ ...report, takes: 0 })).to.deep.equal([])
    expect(storageWords(report)).to.deep.equal(['3 takes, stored in 4.18 MB.'])
    expect(storageWords({ ...report, keepDays: 1 })[1]).to.equal(
      'Takes older than 1 day leave by themselves; 1 take with a tag or a plan never.',
    )
    expect(storageWords({ ...report, keepDays: 30, keepBytes: 5e10 })[1]).to.equal(
      'Takes older than 30 days or beyond 50.0 GB in all (the oldest first) leave by themselves; 1 take with a tag or a plan never.',
    )
  })
})
