import type { Conditions, RecorderFigures } from '@lapsus/core/format'
import type { LedgerRow } from '@lapsus/core/rollup'
import { ledgerOfFrames, studyWithoutRecorder } from '@lapsus/core/study'
import { gatherEvidence, unmarkedNs } from '@lapsus/core/detect'
import { sum } from '@lapsus/core/stats'
import { OUTSIDE, placeWords, plural } from '@lapsus/core/words'
import {
  frameFigures,
  NS_PER_MS,
  recorderShareNs,
  type FrameColumns,
  type FrameFigures,
} from '@lapsus/core/take'
import { CliError } from './errors.ts'
import { diagnose, diagnosisWords, type Diagnosis } from './diagnosis.ts'
import type { TakeFile } from './take-file.ts'

export interface Inspection extends Diagnosis {
  take: {
    game: string
    frames: number
    durationMs: number
    targetFps: number
    lanes: string[]
    markers: number
    spans: number
    dropped: number
    repaired: number
    complete: boolean
    format: string
    conditions: Conditions
  }
  frames: Omit<FrameFigures, 'frames' | 'heldBy' | 'overTimeMs'>
  /** Null when the take does not say what its recorder costs. */
  recorder: { spanNs: number; msPerFrame: number; takenOut: boolean } | null
  ledger: LedgerLine[]
  /** Main-lane time in no marker: with it the lines of that lane add up to the frames. */
  outsideMsPerFrame: number
}

interface LedgerLine {
  path: string[]
  /** Where in the code, `file:line`; null where that is not known. */
  at: string | null
  lane: string
  calls: number
  callsPerFrame: number
  selfMs: number
  totalMs: number
  selfMsPerFrame: number
  totalMsPerFrame: number
  selfP99Ms: number
  needless: number
  needlessMs: number
  repeated: number
  repeatedMs: number
  /** Null where bytes were not recorded. */
  bytes: number | null
}

/**
 * The figures of a take file, as `inspect --json` prints them.
 * @param targetFps null for the take's own
 * @param lessRecorder whether the recorder's estimated share is taken out
 * @throws CliError when it shall be and the take does not say what it is
 */
export function inspect(file: TakeFile, targetFps: number | null, lessRecorder = false): Inspection {
  const { recorder } = file.take.conditions
  if (lessRecorder && recorder === undefined) {
    throw new CliError('the recorder of this take did not say what it costs')
  }
  const target = targetFps ?? file.take.target
  const recorded = { ...file.study, target }
  const study = lessRecorder ? studyWithoutRecorder(recorded) : recorded
  const { startNs, durationNs } = study.frames
  const frames = startNs.length
  const ledger = ledgerOfFrames(study, new Uint8Array(frames).fill(1), 'path')
  const figures = frameFigures(study.frames, 1000 / target)
  const { budgetMs, work, over, overShare, late, held } = figures
  return {
    take: {
      game: file.take.game,
      frames,
      durationMs:
        frames === 0 ? 0 : (startNs[frames - 1]! + durationNs[frames - 1]! - startNs[0]!) / NS_PER_MS,
      targetFps: target,
      lanes: [...file.progress.declarations.lanes.values()].map(({ name }) => name),
      markers: file.progress.declarations.markers.size,
      spans: file.spans,
      dropped: file.dropped,
      repaired: file.repaired,
      complete: file.complete,
      format: file.format,
      conditions: file.take.conditions,
    },
    frames: { budgetMs, work, over, overShare, late, held },
    recorder: recorder === undefined ? null : recorderFigures(file.study.frames, recorder, lessRecorder),
    ledger: ledger.map((row) => ledgerLine(file, row, frames)),
    outsideMsPerFrame: sum(unmarkedNs(study)) / Math.max(1, frames) / NS_PER_MS,
    ...diagnose(gatherEvidence(study)),
  }
}

function recorderFigures(frames: FrameColumns, recorder: RecorderFigures, takenOut: boolean) {
  const count = frames.mainSpans.length
  let sumNs = 0
  for (let frame = 0; frame < count; frame++) sumNs += recorderShareNs(frames, frame, recorder)
  return { spanNs: recorder.spanNs, msPerFrame: count === 0 ? 0 : sumNs / count / NS_PER_MS, takenOut }
}

function ledgerLine({ progress, take }: TakeFile, row: LedgerRow, frames: number): LedgerLine {
  const { declarations, paths } = progress
  const selfMs = row.selfNs / NS_PER_MS
  const totalMs = row.totalNs / NS_PER_MS
  const { at } = declarations.marker(paths.get(row.key).marker)
  return {
    path: paths.chain(row.key).map((id) => declarations.marker(paths.get(id).marker).name),
    at: at === null ? null : placeWords(at),
    lane: declarations.lane(paths.get(row.key).lane).name,
    calls: row.calls,
    callsPerFrame: row.calls / frames,
    selfMs,
    totalMs,
    selfMsPerFrame: selfMs / frames,
    totalMsPerFrame: totalMs / frames,
    selfP99Ms: row.selfP99Ns / NS_PER_MS,
    needless: row.needless,
    needlessMs: row.needlessNs / NS_PER_MS,
    repeated: row.repeated,
    repeatedMs: row.repeatedNs / NS_PER_MS,
    bytes: take.conditions.mode === 'bytes' ? row.bytes : null,
  }
}

const REPORT_ROWS = 15
const three = (value: number) => (Number.isNaN(value) ? '–' : Number(value.toPrecision(3)).toString())

/** A short report for people. */
export function report(inspection: Inspection): string {
  const { take, frames, recorder, ledger } = inspection
  const { work } = frames
  const rows = ledger.slice(0, REPORT_ROWS).map((line) => {
    const lane = line.lane === take.lanes[0] ? '' : ` [${line.lane}]`
    const figures = [
      three(line.selfMsPerFrame),
      three(line.totalMsPerFrame),
      three(line.selfP99Ms),
      three(line.callsPerFrame),
    ]
    return `${figures.map((figure) => figure.padStart(9)).join('')}  ${line.path.join(' > ')}${lane}`
  })
  return [
    `${take.game}: ${plural(take.frames, 'frame')}, ${three(take.durationMs / 1000)} s, ${plural(take.spans, 'span')}, ${plural(take.markers, 'marker')}` +
      (take.complete ? '' : ' (cut short)') +
      (take.dropped > 0 ? `, ${plural(take.dropped, 'frame')} left out by the recorder` : ''),
    `target ${three(take.targetFps)} frames a second, budget ${three(frames.budgetMs)} ms`,
    `work   p50 ${three(work.p50)}   p95 ${three(work.p95)}   p99 ${three(work.p99)}   p99.9 ${three(work.p999)}   worst ${three(work.worst)} ms`,
    `over budget ${frames.over} (${three(frames.overShare * 100)} %), late ${frames.late}, of these held by waiting ${frames.held}`,
    ...(recorder === null
      ? []
      : [`recorder about ${three(recorder.msPerFrame)} ms a frame${recorder.takenOut ? ', taken out' : ''}`]),
    '',
    ...diagnosisWords(inspection),
    'ms a frame, most self time first',
    `${['self', 'total', 'self p99', 'calls'].map((head) => head.padStart(9)).join('')}  path`,
    ...rows,
    `${three(inspection.outsideMsPerFrame).padStart(9)}${' '.repeat(29)}${OUTSIDE}`,
    ...(ledger.length > REPORT_ROWS ? [`… and ${ledger.length - REPORT_ROWS} more; --json prints all`] : []),
  ].join('\n')
}
