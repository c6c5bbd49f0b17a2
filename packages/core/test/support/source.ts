/** Records as what questions are answered from. */
import { gatherEvidence } from '@lapsus/core/detect'
import type { ChunkRecord, Conditions, DeclareRecord } from '@lapsus/core/format'
import type { Source } from '@lapsus/core/questions'
import { coursesOf, mergeRollups, rollupOf } from '@lapsus/core/rollup'
import { buildStudy, type Study } from '@lapsus/core/study'
import { Digester, spansOfFrame } from '@lapsus/core/take'

/** A study without its spans. */
export function sourceOfStudy(study: Study): Source {
  const frames = study.frames.startNs.length
  const { conditions, declarations, paths, target } = study
  return {
    ...{ conditions, declarations, paths, frames },
    chosen: { from: 0, to: frames - 1, target, withoutRecorder: false },
    study: async () => study,
    evidence: async () => gatherEvidence(study),
    rollup: async () => null,
    runs: async () => ({ durationNs: new Float64Array(), chunks: 0, chunksRead: 0 }),
    frame: async () => null,
    plan: async () => null,
  }
}

export function sourceOf(
  declared: DeclareRecord,
  records: ChunkRecord[],
  {
    target = 60,
    conditions = {},
    stored = true,
  }: { target?: number; conditions?: Conditions; stored?: boolean } = {},
): Source {
  const digester = new Digester()
  digester.declare(declared)
  const chunks = records.map((record) => digester.digest(record))
  const { paths } = digester.progress
  const study = buildStudy(
    { conditions, target, ...digester.progress },
    chunks.map((chunk) => ({
      frames: chunk.frames,
      courses: coursesOf(chunk, paths),
      samples: chunk.samples,
      moments: chunk.moments,
      beginsStretch: false,
      dropped: 0,
    })),
  )
  return {
    ...sourceOfStudy(study),
    rollup: async () =>
      stored
        ? mergeRollups(chunks.map((chunk) => rollupOf(coursesOf(chunk, paths), paths, chunk.firstFrame)))
        : null,
    runs: async (wanted) => {
      const durations = chunks.flatMap(({ spans }) =>
        [...spans.durationNs].filter((_, span) => wanted.has(spans.path[span]!)),
      )
      return { durationNs: Float64Array.from(durations), chunks: chunks.length, chunksRead: chunks.length }
    },
    frame: async (frame) => {
      const chunk = chunks.find(
        ({ firstFrame, frames: own }) => frame >= firstFrame && frame < firstFrame + own.startNs.length,
      )
      if (chunk === undefined) return null
      const within = frame - chunk.firstFrame
      return {
        ...{ frames: chunk.frames, within, samples: chunk.samples },
        ...spansOfFrame(chunk.spans, chunk.details, within),
        jobs: async () => chunks.map(({ samples }) => samples.jobs),
      }
    },
  }
}
