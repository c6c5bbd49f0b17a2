/**
 * Work that takes long and has an owner: imports, exports, excerpts, composites, reports. Each is gone with its client,
 * unless that wants it kept; small ones do not wait for large ones; who watches sees how far they are, and may stop them.
 */
import { randomUUID } from 'node:crypto'
import type { JobInfo, JobKind } from '@lapsus/api'
import type { Context } from 'koa'
import { ProblemError } from '../problem-error.ts'
import { JobProgress } from '../threads/job-progress.ts'

/** In an answer: the job's number; in a request: the one that it is to have. */
const JOB_HEADER = 'Lapsus-Job'
/** Jobs at once; of small ones some more, which pass the others by. */
export const LARGE_AT_ONCE = 3
export const SMALL_AT_ONCE = 2
export const SMALL_BYTES = 1024 * 1024
export const MOST_WAITING = 64
const AGAIN_S = 5
const STILL_MS = 120_000
const LOOK_EVERY_MS = 500

interface Job {
  id: string
  kind: JobKind
  name: string
  /** By which those that wait take turns. */
  bytes: number
  progress: JobProgress
  askedMs: number
  begunMs: number | null
  movedMs: number
  seen: string
  begin: () => void
}

export interface JobAsk {
  kind: JobKind
  /** What it is about, for whoever watches. */
  name: string
  /** How much there is to do, about. */
  bytes: number
  ofBytes?: number | undefined
  ofFrames?: number
}

export class Jobs {
  readonly #jobs = new Map<string, Job>()
  /** Whether whoever has closed half of a connection can be asked if it is still there. */
  readonly #mayProbe: boolean
  readonly #stillMs: number

  /** @param stillMs a job of which nothing moves for longer is ended */
  constructor(mayProbe: boolean, stillMs = STILL_MS) {
    this.#mayProbe = mayProbe
    this.#stillMs = stillMs
  }

  list(): JobInfo[] {
    return [...this.#jobs.values()].map(infoOf)
  }

  get(id: string): JobInfo | null {
    const job = this.#jobs.get(id)
    return job === undefined ? null : infoOf(job)
  }

  /** @returns whether there is one of that number */
  stop(id: string): boolean {
    const job = this.#jobs.get(id)
    job?.progress.stop()
    // One that waits is let begin, and ends there.
    if (job?.begunMs === null) job.begin()
    return job !== undefined
  }

  /**
   * Does it in its turn.
   * @throws ProblemError 503 where too many wait, 409 where it was stopped
   */
  async run<T>(context: Context, ask: JobAsk, work: (progress: JobProgress) => Promise<T>): Promise<T> {
    const job = this.#enter(context, ask)
    context.set(JOB_HEADER, job.id)
    const letGo = context.query['keep'] === undefined ? this.#watch(context, job) : () => {}
    try {
      await this.#turn(job)
      job.progress.check()
      return await work(job.progress)
    } finally {
      letGo()
      this.#jobs.delete(job.id)
      this.#next()
    }
  }

  #enter(context: Context, { kind, name, bytes, ofBytes, ofFrames }: JobAsk): Job {
    const waiting = [...this.#jobs.values()].filter(({ begunMs }) => begunMs === null).length
    if (waiting >= MOST_WAITING)
      throw new ProblemError(503, 'too much long work is waiting; ask again soon', undefined, AGAIN_S)
    const wished = context.get(JOB_HEADER)
    const isGood = /^[A-Za-z0-9-]{8,64}$/.test(wished) && !this.#jobs.has(wished)
    const progress = new JobProgress()
    progress.of({ bytes: ofBytes, frames: ofFrames })
    const now = Date.now()
    const job: Job = {
      ...{ id: isGood ? wished : randomUUID(), kind, name: name.slice(0, 200), bytes, progress },
      ...{ askedMs: now, begunMs: null, movedMs: now, seen: '', begin: () => {} },
    }
    this.#jobs.set(job.id, job)
    return job
  }

  async #turn(job: Job): Promise<void> {
    if (this.#hasRoomFor(job)) {
      job.begunMs = job.movedMs = Date.now()
      return
    }
    await new Promise<void>((resolve) => {
      job.begin = () => {
        job.begunMs = job.movedMs = Date.now()
        job.begin = () => {}
        resolve()
      }
    })
  }

  #hasRoomFor({ bytes }: Job): boolean {
    const begun = [...this.#jobs.values()].filter(({ begunMs }) => begunMs !== null)
    const large = begun.filter((one) => one.bytes > SMALL_BYTES).length
    return bytes > SMALL_BYTES ? large < LARGE_AT_ONCE : begun.length < LARGE_AT_ONCE + SMALL_AT_ONCE
  }

  /** The smallest first, as many as there is room for. */
  #next(): void {
    const waiting = [...this.#jobs.values()].filter(({ begunMs }) => begunMs === null)
    for (const job of waiting.sort((a, b) => a.bytes - b.bytes)) if (this.#hasRoomFor(job)) job.begin()
  }

  /** Ends the job with its client, or where nothing moves. @returns what ends the watching */
  #watch(context: Context, job: Job): () => void {
    const { req, res } = context
    const gone = () => {
      if (!res.writableFinished) this.stop(job.id)
    }
    res.once('close', gone)
    const timer = setInterval(() => {
      const { bytes, frames } = job.progress.told
      const seen = `${bytes} ${frames}`
      const now = Date.now()
      if (seen !== job.seen || job.begunMs === null) job.movedMs = now
      job.seen = seen
      if (now - job.movedMs > this.#stillMs) this.stop(job.id)
      // A client that has closed its half may wait for the answer, or be gone: who is gone says so to what is written.
      if (this.#mayProbe && req.socket.readableEnded && !res.headersSent) res.writeProcessing()
    }, LOOK_EVERY_MS)
    timer.unref()
    return () => {
      clearInterval(timer)
      res.off('close', gone)
    }
  }
}

function infoOf({ id, kind, name, progress, askedMs, begunMs }: Job): JobInfo {
  const { bytes, ofBytes, frames, ofFrames } = progress.told
  const share = ofBytes > 0 ? bytes / ofBytes : ofFrames > 0 ? frames / ofFrames : 0
  const passedS = begunMs === null ? 0 : (Date.now() - begunMs) / 1000
  return {
    ...{ id, kind, name, state: begunMs === null ? 'waiting' : 'running' },
    ...{ bytes, ofBytes: ofBytes || null, frames, ofFrames: ofFrames || null },
    asked: new Date(askedMs).toISOString(),
    // What has hardly begun tells nothing.
    secondsLeft: share > 0.02 ? Math.max(0, (passedS * (1 - Math.min(1, share))) / share) : null,
  }
}
