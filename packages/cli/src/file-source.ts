/** A take file as what questions are answered from. What needs single runs reads the file once more. */
import { readFile } from 'node:fs/promises'
import type { JobEvents } from '@lapsus/core/format'
import { gatherEvidence, type Evidence } from '@lapsus/core/detect'
import type { FrameSource, Runs, Source } from '@lapsus/core/questions'
import { PlanError, planFromText, type ReadPlan } from '@lapsus/core/remedy'
import { frameCount, partOfStudy, studyWithoutRecorder } from '@lapsus/core/study'
import { Digester, spansOfFrame, type DigestedChunk } from '@lapsus/core/take'
import { CliError } from './errors.ts'
import { readRecords, type TakeFile } from './take-file.ts'

/** Which frames are asked about, and how they are judged. */
export interface Chosen {
  /** Both included; null for all. */
  frames: { from: number; to: number } | null
  target: number | null
  lessRecorder: boolean
}

/** @throws CliError for frames that the take does not have, or a recorder that did not say what it costs */
export function sourceOfFile(file: TakeFile, { frames, target, lessRecorder }: Chosen): Source {
  const count = frameCount(file.study)
  const { from, to } = frames ?? { from: 0, to: count - 1 }
  if (frames !== null && to >= count) throw new CliError(`there is no frame ${to}: the take has ${count}`)
  if (lessRecorder && file.take.conditions.recorder === undefined)
    throw new CliError('the recorder of this take did not say what it costs')
  const judged = { ...file.study, target: target ?? file.take.target }
  const part = partOfStudy(lessRecorder ? studyWithoutRecorder(judged) : judged, from, to + 1)
  let evidence: Evidence | null = null
  return {
    ...file.progress,
    conditions: file.take.conditions,
    frames: count,
    chosen: { from, to, target: judged.target, withoutRecorder: lessRecorder },
    study: async () => part,
    evidence: async () => (evidence ??= gatherEvidence(part)),
    rollup: async () => null,
    runs: (paths) => runsOf(file, paths, from, to),
    frame: (frame) => frameOf(file, frame),
    plan: readPlan,
  }
}

/** @throws CliError naming what is wrong with the file */
async function readPlan(path: string): Promise<ReadPlan> {
  let text: string
  try {
    text = await readFile(path, 'utf8')
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException
    throw new CliError(code === 'ENOENT' ? `${path}: there is no such file` : `${path}: ${message}`)
  }
  try {
    return planFromText(text)
  } catch (error) {
    if (error instanceof PlanError) throw new CliError(`${path}: ${error.message}`)
    throw error
  }
}

/** Every chunk of a file again, spans and all. */
async function eachChunk(
  { path, frameMarker }: TakeFile,
  onChunk: (chunk: DigestedChunk) => void,
): Promise<void> {
  const digester = new Digester()
  await readRecords(path, frameMarker, (record) => {
    if (record.record === 'declare') digester.declare(record)
    else if (record.record === 'chunk') onChunk(digester.digest(record))
  })
}

async function runsOf(file: TakeFile, paths: ReadonlySet<number>, from: number, to: number): Promise<Runs> {
  const durations: number[] = []
  let chunks = 0
  await eachChunk(file, ({ firstFrame, spans }) => {
    let found = false
    let span = 0
    spans.frameEnd.forEach((end, i) => {
      const isChosen = firstFrame + i >= from && firstFrame + i <= to
      for (; span < end; span++) {
        if (!isChosen || !paths.has(spans.path[span]!)) continue
        durations.push(spans.durationNs[span]!)
        found = true
      }
    })
    if (found) chunks++
  })
  return { durationNs: Float64Array.from(durations), chunks, chunksRead: chunks }
}

async function frameOf(file: TakeFile, frame: number): Promise<FrameSource | null> {
  let before: JobEvents | null = null
  let jobs: JobEvents[] = []
  let found: FrameSource | null = null
  let next = false
  await eachChunk(file, ({ firstFrame, frames, spans, details, samples }) => {
    if (next) {
      jobs.push(samples.jobs)
      next = false
    }
    const within = frame - firstFrame
    if (within >= 0 && within < frames.startNs.length) {
      jobs = before === null ? [samples.jobs] : [before, samples.jobs]
      next = true
      found = {
        ...{ frames, within, samples, ...spansOfFrame(spans, details, within) },
        jobs: async () => jobs,
      }
    }
    before = samples.jobs
  })
  return found
}
