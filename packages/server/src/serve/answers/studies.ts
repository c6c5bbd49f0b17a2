/** Takes as studies: read from the courses of their chunks, kept for a while. */
import type { Conditions } from '@lapsus/core/format'
import { gatherEvidence, type Evidence } from '@lapsus/core/detect'
import {
  frameCount,
  partOfStudy,
  StudyBuilder,
  studyChunkOf,
  studyWithoutRecorder,
  type Study,
} from '@lapsus/core/study'
import { takeMoments } from '../../store/moments.ts'
import { unpack } from '../../store/compression.ts'
import { RecentlyUsed } from '../../store/recently-used.ts'
import type { Store, TakeFields } from '../../store/store.ts'
import { tablesOf } from '../../store/take-tables.ts'
import { storedChunks, type FrameRange } from './stored-chunks.ts'
import { StudyReader } from './study-reader.ts'

/** Which frames of a take, and how they are judged. */
export interface StudyQuery {
  /** Null for all. */
  range: FrameRange | null
  /** Frames a second. */
  target: number
  /** Whether the recorder's estimated share is taken out. */
  withoutRecorder: boolean
}

/** A study of 36,000 frames and 60 paths takes about 60 MB. */
const MOST_STUDIES = 2
/** Each holds the columns of its own frames. */
const MOST_EVIDENCE = 2
/** Takes that are being recorded and are read meanwhile. */
export const MOST_READ_AHEAD = 2
/** Larger ones are read when they are asked for: 100 MB. */
const MOST_CELLS_AHEAD = 4_000_000
/** Fewer chosen frames than one in so many are read by themselves. */
const SHORT = 4

/** What answers are worked out from. */
export interface Sources {
  store: Store
  studies: Studies
}

export class Studies {
  readonly #store: Store
  readonly #mostCellsAhead: number
  readonly #studies = new RecentlyUsed<Promise<Study>>(MOST_STUDIES)
  readonly #evidence = new RecentlyUsed<Promise<Evidence>>(MOST_EVIDENCE)
  /** Of takes that are still being recorded. */
  readonly #readers = new RecentlyUsed<StudyReader>(MOST_READ_AHEAD)
  /** Takes that have become too large to be read while they are being recorded. */
  readonly #large = new Set<string>()

  /** @param mostCellsAhead cells of courses beyond which a take is not read while it is being recorded */
  constructor(store: Store, mostCellsAhead = MOST_CELLS_AHEAD) {
    this.#store = store
    this.#mostCellsAhead = mostCellsAhead
  }

  /** All frames of a take, as recorded, by its own target. */
  study(row: TakeFields): Promise<Study> {
    // A take that is still being recorded has more chunks the next time.
    return this.#studies.get(`${row.id} ${row.chunks}`, async () => {
      const reader = await this.#read(row)
      const from = await this.#from(row)
      const study = reader.study(from)
      const moments = await takeMoments(this.#store, row.id)
      return { ...study, moments: moments.filter(({ frame }) => frame < frameCount(study)) }
    })
  }

  /** Reads what a take that is being recorded has by now: so there is less to be done when it is asked for. */
  async readAhead(row: TakeFields): Promise<void> {
    if (row.state === 'recording' && !this.#large.has(row.id)) await this.#read(row)
  }

  async #read(row: TakeFields): Promise<StudyReader> {
    const key = `${row.id} ${row.started.getTime()}`
    const reader = this.#readers.get(key, () => new StudyReader(this.#store, row))
    try {
      await reader.readOn()
    } catch (error) {
      // Whoever asks again begins anew: what could be added was, and perhaps not all of it.
      this.#readers.forget(key)
      throw error
    }
    const isLarge = reader.cells > this.#mostCellsAhead
    if (isLarge) this.#large.add(row.id)
    if (isLarge || row.state !== 'recording') this.#readers.forget(key)
    return reader
  }

  /** What a study has besides what its chunks say; asked after them, which name what is declared before. */
  async #from(row: TakeFields) {
    const conditions = JSON.parse(row.conditions) as Conditions
    return { conditions, target: row.target, ...(await tablesOf(this.#store, row)) }
  }

  /** The chosen frames with their courses, and nothing worked out: of few frames only their chunks are read. */
  async part(row: TakeFields, { range, target, withoutRecorder }: StudyQuery): Promise<Study> {
    const isShort = range !== null && (range.to - range.from + 1) * SHORT < Number(row.frames)
    const study = isShort ? await this.#short(row, range) : await this.study(row)
    const first = range === null ? 0 : range.from - study.firstFrame
    const end =
      range === null ? frameCount(study) : Math.min(frameCount(study), range.to + 1 - study.firstFrame)
    const chosen = partOfStudy({ ...study, target }, first, end)
    return withoutRecorder ? studyWithoutRecorder(chosen) : chosen
  }

  /** Of only the chunks that hold any of the frames. */
  async #short(row: TakeFields, range: FrameRange): Promise<Study> {
    const builder = new StudyBuilder(range.to + 1 - range.from)
    let first = Infinity
    for await (const { chunks, firstFrame } of storedChunks(this.#store, row.id, 0, range)) {
      first = Math.min(first, firstFrame)
      const ready = await Promise.all(chunks.map((chunk) => studyChunkOf(chunk, unpack)))
      for (const chunk of ready) builder.add(chunk)
    }
    const study = builder.study(await this.#from(row))
    return { ...study, firstFrame: Number.isFinite(first) ? first : range.from }
  }

  evidence(row: TakeFields, { range, target, withoutRecorder }: StudyQuery): Promise<Evidence> {
    const key = [row.id, row.chunks, range?.from, range?.to, target, withoutRecorder].join(' ')
    return this.#evidence.get(key, async () => {
      const whole = { ...(await this.study(row)), target }
      const study = withoutRecorder ? studyWithoutRecorder(whole) : whole
      const to = Math.min(frameCount(study), (range?.to ?? Infinity) + 1)
      return gatherEvidence(partOfStudy(study, range?.from ?? 0, to))
    })
  }
}
