import { spawn, type ChildProcess } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { availableParallelism } from 'node:os'
import { dirname } from 'node:path'
import type { DemoGame, Recording, RecordingRequest } from '@lapsus/api'
import { ENV_KEY, ENV_OPTIONS, ENV_TAKE, ENV_TO } from '@lapsus/core/format'
import { sourceAround } from '@lapsus/core/take'
import type { Logger } from 'pino'
import { atIntervals } from '../at-intervals.ts'
import { finishTake } from '../ingest/finish.ts'
import { putSourceLines } from '../ingest/source-lines.ts'
import { ProblemError } from '../problem-error.ts'
import { describeDemo } from './demo.ts'
import { isOver, SharedRecordings } from './shared-recordings.ts'
import { sourceBelow } from './source-below.ts'
import type { Store } from '../store/store.ts'
import { tablesOf } from '../store/take-tables.ts'

const MESSAGE_LENGTH = 2_000
/** A game that has not begun its take by then has failed. */
const NAME_TRIES = 150
const NAME_EVERY_MS = 200
const LOOK_EVERY_MS = 1_000

interface Run {
  recording: Recording
  request: RecordingRequest
  /** Null while it waits in line. */
  child: ChildProcess | null
  output: string
  ended: Promise<void>
}

/** Runs of the demo game that this server starts; those of other servers are known, too. */
export class Recordings {
  readonly #store: Store
  readonly #script: string
  /** The game's. */
  readonly #folder: string
  readonly #ownKey: string
  readonly #log: Logger
  /** Games at once: more would measure how they get in each other's way. */
  readonly #most: number
  readonly #runs = new Map<string, Run>()
  readonly #shared: SharedRecordings
  readonly #looking: ReturnType<typeof setInterval>
  #demo: Promise<DemoGame> | null = null
  /** Where the games send their takes; known once the server listens. */
  address = ''
  /** Has stored what a game left that could not deliver all of its take before it ended. */
  takeUpLeft: (take: string) => Promise<void> = async () => {}

  constructor(store: Store, script: string, ownKey: string, log: Logger, most = availableParallelism()) {
    this.#store = store
    this.#script = script
    // It is built into a folder of its own.
    this.#folder = dirname(dirname(script))
    this.#ownKey = ownKey
    this.#log = log
    this.#most = most
    this.#shared = new SharedRecordings(store)
    this.#looking = atIntervals(LOOK_EVERY_MS, () => this.#look())
    this.#looking.unref()
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
  async start(request: RecordingRequest): Promise<Recording> {
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
      output: '',
      ended: Promise.resolve(),
    }
    this.#runs.set(recording.id, run)
    await this.#shared.add(recording)
    await this.#next()
    return (await this.get(recording.id))!
  }

  /** Begins what waits, in order, while there is a processor for it. */
  async #next(): Promise<void> {
    const runs = [...this.#runs.values()]
    const running = runs.filter(({ child, recording }) => child !== null && !isOver(recording)).length
    const waiting = runs.filter(({ recording }) => recording.state === 'waiting')
    const due = waiting.slice(0, Math.max(0, this.#most - running))
    // All at once, before anything is waited for: nobody else begins them, too.
    for (const run of due) this.#begin(run)
    for (const { recording } of due) await this.#shared.tell(recording)
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
        // Places in its code are named from its folder.
        cwd: this.#folder,
        stdio: ['ignore', 'pipe', 'pipe'],
      },
    )
    recording.state = 'starting'
    run.child = child
    const keep = (text: Buffer) => (run.output = (run.output + text.toString()).slice(-MESSAGE_LENGTH))
    child.stdout?.on('data', keep)
    child.stderr?.on('data', keep)
    run.ended = new Promise((resolve) => {
      child.once('error', (error) => resolve(this.#end(run, null, error.message)))
      child.once('exit', (code) => resolve(this.#end(run, code, run.output.trim())))
    })
    void run.ended
      .then(() => this.#next())
      .catch((error: Error) => this.#log.error(error, 'a recording did not begin'))
    if (request.name !== '') void this.#nameTake(recording, request.name)
    this.#log.info({ take, seconds: request.seconds, flaws: request.flaws }, 'recording the demo game')
  }

  list(): Promise<Recording[]> {
    return this.#shared.list()
  }

  get(id: string): Promise<Recording | null> {
    return this.#shared.get(id)
  }

  /** Asks the game to end; its take is kept. One that waits is called off. */
  async stop(id: string): Promise<Recording | null> {
    const run = this.#runs.get(id)
    // Its own server looks for such wishes.
    if (run === undefined) await this.#shared.wishStop(id)
    else {
      if (run.recording.state === 'waiting') {
        run.recording.state = 'called-off'
        this.#runs.delete(id)
        await this.#shared.tell(run.recording)
      }
      run.child?.kill('SIGTERM')
      await run.ended
    }
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
    clearInterval(this.#looking)
    // Those that wait first, so that none of them begins when another ends.
    const runs = [...this.#runs.values()]
    for (const { recording } of runs) {
      if (recording.state !== 'waiting') continue
      recording.state = 'called-off'
      await this.#shared.tell(recording).catch(() => {})
    }
    await Promise.all(runs.map(({ recording }) => this.stop(recording.id).catch(() => null)))
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

  /** The game's own code is here: its findings show the lines that they speak of. */
  async #keepSource(take: string): Promise<void> {
    const row = await this.#store.takes.findByPk(take)
    if (row === null) return
    const { declarations } = await tablesOf(this.#store, row)
    const lines = sourceAround(declarations.markers.values(), (file) => sourceBelow(this.#folder, file))
    if (lines.length > 0) await putSourceLines(this.#store, row, lines)
  }

  async #end(run: Run, code: number | null, output: string): Promise<void> {
    const { recording } = run
    try {
      await this.takeUpLeft(recording.take)
      if (code !== 0) {
        await finishTake(this.#store, recording.take, 'cut-short')
        recording.message = output.split('\n').slice(-3).join('\n') || `the game ended with code ${code}`
      } else await this.#keepSource(recording.take)
    } catch (error) {
      this.#log.error(error, 'could not close the take of a recording')
    }
    recording.state = code === 0 ? 'done' : 'failed'
    this.#runs.delete(recording.id)
    await this.#shared
      .tell(recording)
      .catch((error: Error) => this.#log.error(error, 'could not note a recording'))
  }

  /** Tells the other servers that this one looks after its recordings, and ends those that somebody wishes to end. */
  async #look(): Promise<void> {
    const own = [...this.#runs.values()].filter(({ recording }) => !isOver(recording))
    if (own.length === 0) return
    for (const id of await this.#shared.touch(own.map(({ recording }) => recording.id))) await this.stop(id)
  }
}

/** What the game's probe is told: its RecordingOptions. */
const recordingOptions = ({ mode, keepSeconds, tripMs }: RecordingRequest) => ({
  mode,
  ...(mode === 'keep-last' ? { keepSeconds, tripwires: { frameMs: tripMs } } : {}),
})
