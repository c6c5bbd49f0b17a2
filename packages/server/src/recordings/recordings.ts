import { spawn, type ChildProcess } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { availableParallelism } from 'node:os'
import type { DemoGame, Recording, RecordingRequest } from '@lapsus/api'
import { ENV_KEY, ENV_OPTIONS, ENV_TAKE, ENV_TO } from '@lapsus/core/format'
import type { Logger } from 'pino'
import { finishTake } from '../ingest/finish.ts'
import { ProblemError } from '../problem-error.ts'
import { describeDemo } from './demo.ts'
import type { Store } from '../store/store.ts'

/** Ended recordings that are still listed. */
const MOST_KEPT = 20
const MESSAGE_LENGTH = 2_000
/** A game that has not begun its take by then has failed. */
const NAME_TRIES = 150
const NAME_EVERY_MS = 200

interface Run {
  recording: Recording
  request: RecordingRequest
  /** Null while it waits in line. */
  child: ChildProcess | null
  startedMs: number
  output: string
  ended: Promise<void>
}

const isOver = ({ state }: Recording) => state === 'done' || state === 'failed' || state === 'called-off'

/** Runs of the demo game that this server started. */
export class Recordings {
  readonly #store: Store
  readonly #script: string
  readonly #ownKey: string
  readonly #log: Logger
  /** Games at once: more would measure how they get in each other's way. */
  readonly #most: number
  readonly #runs = new Map<string, Run>()
  #demo: Promise<DemoGame> | null = null
  /** Where the games send their takes; known once the server listens. */
  address = ''

  constructor(store: Store, script: string, ownKey: string, log: Logger, most = availableParallelism()) {
    this.#store = store
    this.#script = script
    this.#ownKey = ownKey
    this.#log = log
    this.#most = most
  }

  /** The demo game, as it describes itself. */
  demo(): Promise<DemoGame> {
    this.#demo ??= describeDemo(this.#script).catch((error: Error) => {
      this.#demo = null
      this.#log.error(error, 'the demo game does not describe itself')
      throw new ProblemError(503, `the demo game cannot be started: is ${this.#script} built?`)
    })
    return this.#demo
  }

  /** Records at once, or as soon as another recording is over. */
  start(request: RecordingRequest): Recording {
    const recording: Recording = {
      id: randomUUID(),
      take: randomUUID(),
      state: 'waiting',
      seconds: request.seconds,
      elapsedS: 0,
      frames: 0,
      message: '',
    }
    const run: Run = {
      recording,
      request,
      child: null,
      startedMs: performance.now(),
      output: '',
      ended: Promise.resolve(),
    }
    this.#runs.set(recording.id, run)
    this.#forgetOld()
    this.#next()
    return recording
  }

  /** Begins what waits, in order, while there is a processor for it. */
  #next(): void {
    const runs = [...this.#runs.values()]
    const running = runs.filter(({ child, recording }) => child !== null && !isOver(recording)).length
    const waiting = runs.filter(({ recording }) => recording.state === 'waiting')
    for (const run of waiting.slice(0, Math.max(0, this.#most - running))) this.#begin(run)
  }

  #begin(run: Run): void {
    const { recording, request } = run
    const { take } = recording
    const child = spawn(
      process.execPath,
      [
        this.#script,
        ...['--seconds', String(request.seconds)],
        ...['--seed', String(request.seed)],
        ...['--flaws', request.flaws.join(',') || 'none'],
        ...(request.trial === '' ? [] : ['--trial', request.trial]),
        ...['--letters', String(request.letters)],
        ...['--moths', String(request.moths)],
        ...['--target', String(request.target)],
        ...['--graphics', String(request.graphicsMs)],
        ...['--routes', request.routes],
        ...(request.handset ? ['--handset'] : []),
        ...(request.ramp ? ['--ramp'] : []),
      ],
      {
        env: {
          ...process.env,
          [ENV_TO]: this.address,
          [ENV_TAKE]: take,
          [ENV_OPTIONS]: JSON.stringify(recordingOptions(request)),
          [ENV_KEY]: this.#ownKey,
        },
        stdio: ['ignore', 'pipe', 'pipe'],
      },
    )
    recording.state = 'starting'
    run.child = child
    run.startedMs = performance.now()
    const keep = (text: Buffer) => (run.output = (run.output + text.toString()).slice(-MESSAGE_LENGTH))
    child.stdout?.on('data', keep)
    child.stderr?.on('data', keep)
    run.ended = new Promise((resolve) => {
      child.once('error', (error) => resolve(this.#end(run, null, error.message)))
      child.once('exit', (code) => resolve(this.#end(run, code, run.output.trim())))
    })
    void run.ended.then(() => this.#next())
    if (request.name !== '') void this.#nameTake(recording, request.name)
    this.#log.info({ take, seconds: request.seconds, flaws: request.flaws }, 'recording the demo game')
  }

  async list(): Promise<Recording[]> {
    return Promise.all([...this.#runs.keys()].reverse().map(async (id) => (await this.get(id))!))
  }

  async get(id: string): Promise<Recording | null> {
    const run = this.#runs.get(id)
    if (run === undefined) return null
    const { recording } = run
    const row = await this.#store.takes.findByPk(recording.take, { attributes: ['frames'] })
    recording.frames = Number(row?.frames ?? 0)
    if (recording.state === 'starting' && row !== null) {
      recording.state = 'recording'
    }
    if (recording.state === 'recording' || recording.state === 'starting') {
      recording.elapsedS = Math.min(recording.seconds, (performance.now() - run.startedMs) / 1000)
    }
    return recording
  }

  /** Asks the game to end; its take is kept. One that waits is called off. */
  async stop(id: string): Promise<Recording | null> {
    const run = this.#runs.get(id)
    if (run === undefined) return null
    if (run.recording.state === 'waiting') run.recording.state = 'called-off'
    run.child?.kill('SIGTERM')
    await run.ended
    return this.get(id)
  }

  /** The same for the game that records this take. @returns false when it was not started here */
  async stopTake(take: string): Promise<boolean> {
    const run = [...this.#runs.values()].find(
      ({ recording }) => recording.take === take && !isOver(recording),
    )
    if (run === undefined) return false
    await this.stop(run.recording.id)
    return true
  }

  async stopAll(): Promise<void> {
    // Those that wait first, so that none of them begins when another ends.
    const runs = [...this.#runs.values()]
    for (const { recording } of runs) if (recording.state === 'waiting') recording.state = 'called-off'
    await Promise.all(runs.map(({ recording }) => this.stop(recording.id)))
  }

  /** Names the take as soon as the game has begun it. */
  async #nameTake({ take }: Recording, name: string): Promise<void> {
    try {
      for (let tries = 0; tries < NAME_TRIES; tries++) {
        const [named] = await this.#store.takes.update({ name }, { where: { id: take } })
        if (named > 0) return
        await new Promise((resolve) => setTimeout(resolve, NAME_EVERY_MS))
      }
    } catch (error) {
      this.#log.warn(error, 'could not name a take')
    }
  }

  async #end(run: Run, code: number | null, output: string): Promise<void> {
    const { recording } = run
    recording.elapsedS = Math.min(recording.seconds, (performance.now() - run.startedMs) / 1000)
    try {
      if (code !== 0) {
        await finishTake(this.#store, recording.take, 'cut-short')
        recording.message = output.split('\n').slice(-3).join('\n') || `the game ended with code ${code}`
      }
    } catch (error) {
      this.#log.error(error, 'could not close the take of a recording')
    }
    recording.state = code === 0 ? 'done' : 'failed'
  }

  #forgetOld(): void {
    for (const [id, { recording }] of this.#runs) {
      if (this.#runs.size <= MOST_KEPT) return
      if (isOver(recording)) this.#runs.delete(id)
    }
  }
}

/** What the game's probe is told: its RecordingOptions. */
const recordingOptions = ({ mode, keepSeconds, tripMs }: RecordingRequest) => ({
  mode,
  ...(mode === 'keep-last' ? { keepSeconds, tripwires: { frameMs: tripMs } } : {}),
})
