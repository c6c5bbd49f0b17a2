/** Answers about a take's courses are checked before a page relies on them. */
import { expect } from 'chai'
import {
  checkCourse,
  checkDiagnosis,
  checkMarks,
  checkMemory,
  checkRoster,
  checkScaling,
  checkWaiting,
} from '@lapsus/api'
import { findingReports, familyReports, gatherEvidence, spikeReports } from '@lapsus/core/detect'
import { encodeCbor } from '@lapsus/core/format'
import { studyFrom, run, runs } from '../../core/test/support/studies.ts'

const MS = 1e6
const evidence = gatherEvidence(
  studyFrom(
    Array.from({ length: 200 }, (_, i) => ({
      runs: [run('sim', 4 * MS), ...(i % 60 === 30 ? runs(20, 'burst', MS) : [])],
      moments: i % 60 === 30 ? ['gate'] : [],
    })),
  ),
)
const studied = { from: 0, to: 1, target: 60, withoutRecorder: false }
const diagnosis = {
  ...studied,
  findings: findingReports(evidence),
  spikes: spikeReports(evidence),
  families: familyReports(evidence),
  pauses: 0,
  marks: [{ finding: 'a', mark: 'known', reason: '', at: '2026-01-02T03:04:05Z' }],
}
const memory = {
  ...studied,
  heap: Float32Array.of(1, 2),
  allocated: Float64Array.of(3, 4),
  collections: [{ frame: 1, kind: 'minor', pauseMs: 2, blame: [] }],
  kinds: [{ kind: 'minor' }],
  allocators: [],
  growing: [],
  classes: [{ class: 0, name: 'imp', alive: Uint8Array.of(5, 6) }],
}
const row = { sort: 'marker', name: 'sim', runsPerSecond: 60, msPerFrame: 1, msPerHour: 2 }
const scaling = {
  ...studied,
  loads: [{ id: 'gauge 0', name: 'letters' }],
  chosen: ['gauge 0'],
  points: [{ load: 1, costMs: 2, frames: 3 }],
  fits: [{ law: 'n', baseNs: 0, slopeNs: 1, aicc: 2 }],
}
const course = {
  ...studied,
  calls: Uint8Array.of(1, 2),
  selfNs: Uint16Array.of(3, 4),
  totalNs: Float64Array.of(5, 6),
}

describe('answers about a take’s courses', () => {
  it('pass as detection makes them, columns in one type', () => {
    expect(diagnosis.findings.map(({ kind }) => kind)).to.include('spike-family')
    expect(checkDiagnosis(JSON.parse(JSON.stringify(diagnosis)))).to.deep.equal(diagnosis)
    const checked = checkMemory(encodeCbor(memory))
    expect(checked.heap).to.deep.equal(Float64Array.of(1, 2))
    expect(checked.classes[0]!.alive).to.deep.equal(Float64Array.of(5, 6))
    expect(checkMemory(encodeCbor({ ...memory, heap: null })).heap).to.equal(null)
    expect(checkRoster({ ...studied, rows: [row] }).rows).to.have.length(1)
    expect(checkScaling(scaling)).to.equal(scaling)
    expect(checkWaiting({ ...studied, frames: 2, over: 0, held: 1, paths: [], steps: [] }).held).to.equal(1)
    expect(checkCourse(encodeCbor(course)).selfNs).to.deep.equal(Float64Array.of(3, 4))
    expect(checkDiagnosis({ ...diagnosis, to: -1 }).to).to.equal(-1)
  })

  it('are refused by the field that is wrong', () => {
    const [finding] = diagnosis.findings
    const [spike] = diagnosis.spikes
    const withFinding = (change: object) => ({ ...diagnosis, findings: [{ ...finding, ...change }] })
    const cases: [() => unknown, string][] = [
      [() => checkDiagnosis({ ...diagnosis, from: -1 }), '"from"'],
      [() => checkDiagnosis(withFinding({ kind: 'mood' })), '"kind"'],
      [() => checkDiagnosis(withFinding({ view: 'window' })), '"view"'],
      [() => checkDiagnosis(withFinding({ text: null })), '"text"'],
      [() => checkDiagnosis(withFinding({ path: 'sim' })), '"path"'],
      [() => checkDiagnosis(withFinding({ costMsPerFrame: null })), '"costMsPerFrame"'],
      [() => checkDiagnosis({ ...diagnosis, spikes: [{ ...spike, frame: 1.5 }] }), '"frame"'],
      [() => checkDiagnosis({ ...diagnosis, spikes: [{ ...spike, causes: [{ why: 'luck' }] }] }), '"why"'],
      [() => checkDiagnosis({ ...diagnosis, families: [{ spikes: 1 }] }), '"spikes"'],
      [() => checkMarks([{ finding: 'a', mark: 'liked' }]), '"mark"'],
      [() => checkMarks({}), '"marks"'],
      [() => checkMemory(encodeCbor({ ...memory, allocated: [1, 2] })), '"allocated"'],
      [() => checkMemory(encodeCbor({ ...memory, heap: Float64Array.of(1) })), '"heap"'],
      [() => checkMemory(encodeCbor({ ...memory, classes: [{ class: 0, name: 'imp' }] })), '"alive"'],
      [() => checkRoster({ ...studied, rows: [{ ...row, sort: 'king' }] }), '"sort"'],
      [() => checkRoster({ ...studied, rows: [{ ...row, msPerHour: NaN }] }), '"msPerHour"'],
      [() => checkScaling({ ...scaling, fits: [{ law: 'n!' }] }), '"law"'],
      [() => checkScaling({ ...scaling, points: [{ load: 1 }] }), '"costMs"'],
      [() => checkWaiting({ ...studied, frames: 2, over: -1, held: 0, paths: [], steps: [] }), '"over"'],
      [() => checkCourse(encodeCbor({ ...course, totalNs: Float64Array.of(1) })), '"totalNs"'],
    ]
    for (const [check, field] of cases) expect(check).to.throw(field)
  })
})
