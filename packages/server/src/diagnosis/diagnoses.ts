/** Works out what is wrong with a take, once, when it ends. */
import type { Diagnosis } from '@lapsus/api'
import { familyReports, findingReports, spikeReports, type Evidence } from '@lapsus/core/detect'
import type { Logger } from 'pino'
import { pack, unpack } from '../store/compression.ts'
import type { Sources } from './studies.ts'
import type { TakeRow } from '../store/store.ts'

/** Raised whenever detectors find something else in the same take. */
const DIAGNOSIS_VERSION = 3

interface StoredDiagnosis {
  /** Frames that the take had: a game that comes back adds more. */
  frames: number
  diagnosis: Diagnosis
}

/** The diagnosis of a whole take by its own target: the stored one, unless it is of other frames or detectors. */
export async function diagnosisOf({ store, studies }: Sources, row: TakeRow): Promise<Diagnosis> {
  const stored = await store.diagnoses.findByPk(row.id, { raw: true })
  const frames = Number(row.frames)
  if (stored !== null && stored.version === DIAGNOSIS_VERSION) {
    const known = JSON.parse((await unpack(stored.body)).toString()) as StoredDiagnosis
    if (known.frames === frames) return known.diagnosis
  }
  const diagnosis = diagnose(
    await studies.evidence(row, { range: null, target: row.target, withoutRecorder: false }),
  )
  if (row.state !== 'recording') {
    const body = await pack(Buffer.from(JSON.stringify({ frames, diagnosis } satisfies StoredDiagnosis)))
    await store.diagnoses.upsert({ takeId: row.id, version: DIAGNOSIS_VERSION, body })
  }
  return diagnosis
}

export const diagnose = (evidence: Evidence): Diagnosis => ({
  findings: findingReports(evidence),
  spikes: spikeReports(evidence),
  families: familyReports(evidence),
  pauses: evidence.isPause.reduce((sum, is) => sum + is, 0),
})

/** Takes that have ended and are waiting for their diagnosis, one after the other. */
export class Diagnoses {
  readonly #sources: Sources
  readonly #log: Logger
  #tail: Promise<void> = Promise.resolve()
  #stopped = false

  constructor(sources: Sources, log: Logger) {
    this.#sources = sources
    this.#log = log
  }

  soon(takeId: string): void {
    this.#tail = this.#tail.then(async () => {
      if (this.#stopped) return
      try {
        const row = await this.#sources.store.takes.findByPk(takeId)
        if (row !== null && row.deletedAt === null) await diagnosisOf(this.#sources, row)
      } catch (error) {
        // It is worked out anew when somebody asks.
        this.#log.error(error, `take ${takeId} could not be diagnosed`)
      }
    })
  }

  async stop(): Promise<void> {
    this.#stopped = true
    await this.#tail
  }
}
