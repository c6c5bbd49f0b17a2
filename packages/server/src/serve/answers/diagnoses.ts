/** Works out what is wrong with a take, once, when it ends. */
import { answer, type Answer } from '@lapsus/core/questions'
import { DIAGNOSIS } from '@lapsus/core/questions/diagnosis'
import type { Logger } from 'pino'
import { ProblemError } from '../../problem-error.ts'
import { pack, unpack } from '../../store/compression.ts'
import type { TakeFields } from '../../store/store.ts'
import { sourceOf } from './stored-source.ts'
import type { Sources, StudyQuery } from './studies.ts'

type Told = Answer<typeof DIAGNOSIS>

interface StoredDiagnosis {
  /** Frames that the take had: a game that comes back adds more. */
  frames: number
  told: Told
}

/** What is wrong with the chosen frames: for whole takes by their own target it is stored. */
export async function diagnosisOf(sources: Sources, row: TakeFields, query: StudyQuery): Promise<Told> {
  if (query.range !== null || query.target !== row.target || query.withoutRecorder)
    return answer(DIAGNOSIS, await sourceOf(sources, row, query), {})
  const { store } = sources
  const stored = await store.diagnoses.findByPk(row.id, { raw: true })
  const frames = Number(row.frames)
  if (stored !== null && stored.version === DIAGNOSIS.version) {
    const known = JSON.parse((await unpack(stored.body)).toString()) as StoredDiagnosis
    if (known.frames === frames) return known.told
  }
  const told = await answer(DIAGNOSIS, await sourceOf(sources, row, query), {})
  if (row.state !== 'recording') {
    const body = await pack(Buffer.from(JSON.stringify({ frames, told } satisfies StoredDiagnosis)))
    await store.diagnoses.upsert({ takeId: row.id, version: DIAGNOSIS.version, body })
  }
  return told
}

/** All of a take, by its own target, as recorded. */
export const wholeTake = ({ target }: TakeFields): StudyQuery => ({
  range: null,
  target,
  withoutRecorder: false,
})

/** Takes that have ended and are waiting for their diagnosis, one after the other. */
export class Diagnoses {
  readonly #diagnose: (take: string) => Promise<void>
  readonly #log: Logger
  #tail: Promise<void> = Promise.resolve()
  #stopped = false

  constructor(diagnose: (take: string) => Promise<void>, log: Logger) {
    this.#diagnose = diagnose
    this.#log = log
  }

  soon(takeId: string): void {
    this.#tail = this.#tail.then(async () => {
      if (this.#stopped) return
      try {
        await this.#diagnose(takeId)
      } catch (error) {
        // One that was deleted meanwhile needs none.
        if (error instanceof ProblemError && error.status === 404) return
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
