/** What is wrong with some frames. */
import { DETECTION_LIMITS, type Evidence } from '../../detect/index.ts'
import { question, type Answer } from '../question.ts'
import { familyReports, findingReports, machineReport, spikeReports } from './report.ts'
import { DIAGNOSIS_TELLS, type Diagnosis } from './tells.ts'
import { versionOf } from './version.ts'

export * from './report.ts'
export * from './tells.ts'

export function diagnose(evidence: Evidence): Diagnosis {
  const findings = findingReports(evidence)
  return {
    findings,
    spikes: spikeReports(evidence),
    families: familyReports(evidence, findings),
    pauses: evidence.isPause.reduce((sum, is) => sum + is, 0),
    machine: machineReport(evidence),
    marks: [],
  }
}

export const DIAGNOSIS = question({
  name: 'diagnosis',
  // Raised by hand when a rule or a sentence changes; a figure that changes is noticed by itself.
  version: versionOf(7, DETECTION_LIMITS),
  about: 'What is wrong with the chosen frames: findings, spikes and their families (findings.md).',
  at: 'diagnosis',
  ofFrames: true,
  asks: {},
  tells: DIAGNOSIS_TELLS,
  answer: async (source) => diagnose(await source.evidence()),
})

export type DiagnosisAnswer = Answer<typeof DIAGNOSIS>
