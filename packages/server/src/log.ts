/** The server's log: one line an event, never the contents of a record or of a query. */
import { statSync } from 'node:fs'
import { basename, dirname } from 'node:path'
import { pino, type DestinationStream, type Logger, type LoggerOptions } from 'pino'
import { createStream, type RotatingFileStream } from 'rotating-file-stream'

export const MOST_LINE_BYTES = 4_096
/** Of one file, and how many there are beside the present one: 40 MB in all. */
const FILE_BYTES = 8 * 1024 * 1024
const OLD_FILES = 4
const REOPEN_AFTER_MS = 1_000
const MOST_MESSAGE = 600
const MOST_STACK = 1_500

/** Logs to a file that is rotated by size, or to standard output where there is none. */
export function createLog(level: string, file: string | null): Logger {
  const destination: DestinationStream = file === null ? process.stdout : new LogFile(file)
  return pino(logOptions(level), destination)
}

/** How lines are written, wherever they go. */
export const logOptions = (level: string): LoggerOptions => ({
  level,
  serializers: { err: errorFields, error: errorFields },
  hooks: { streamWrite: shortLine },
})

/** What of an error is logged. Errors of the database carry the command and its values: those stay out. */
export function errorFields(error: unknown): unknown {
  if (!(error instanceof Error)) return typeof error === 'string' ? error.slice(0, MOST_MESSAGE) : error
  const { name, code, errno, sqlState, original } = error as Error & Record<string, unknown>
  const {
    code: sqlCode = code,
    errno: sqlNumber = errno,
    sqlState: state = sqlState,
  } = (original ?? {}) as Record<string, unknown>
  return {
    type: name,
    message: wordsOf(error),
    code: sqlCode,
    errno: sqlNumber,
    sqlState: state,
    // The stack begins with the message, which may be long.
    stack: (error.stack ?? '').replace(error.message, '').slice(0, MOST_STACK),
  }
}

/** The message, without the command that the driver appends to it. */
export function wordsOf(error: Error): string {
  return error.message.split(/\nsql: /)[0]!.slice(0, MOST_MESSAGE)
}

function shortLine(line: string): string {
  if (Buffer.byteLength(line) <= MOST_LINE_BYTES) return line
  const { level, time, msg } = JSON.parse(line) as { level: number; time: number; msg?: string }
  return JSON.stringify({ level, time, msg: (msg ?? '').slice(0, MOST_MESSAGE), cut: line.length }) + '\n'
}

/** Appends lines to a file. When the disk is full lines are lost, and counted; it goes on when there is room. */
class LogFile implements DestinationStream {
  readonly #path: string
  #stream: RotatingFileStream | null = null
  #lost = 0
  #retryAtMs = 0
  /** Lines that the stream has and the file has not yet, and who waits for them. */
  #unwritten = 0
  #waiting: (() => void)[] = []

  constructor(path: string) {
    this.#path = path
  }

  write(line: string): void {
    const stream = this.#open()
    if (stream === null) {
      this.#lost++
      return
    }
    if (this.#lost > 0) {
      const msg = `${this.#lost} lines are lost`
      this.#pass(stream, JSON.stringify({ level: 40, time: Date.now(), msg }) + '\n')
      this.#lost = 0
    }
    this.#pass(stream, line)
  }

  /** Calls back when everything is in the file, or lost: a process that ends before would lose it. */
  flush(done: () => void): void {
    if (this.#unwritten === 0) done()
    else this.#waiting.push(done)
  }

  #pass(stream: RotatingFileStream, line: string): void {
    this.#unwritten++
    // Also called for what the stream could not write, when it has failed.
    stream.write(line, () => {
      if (--this.#unwritten > 0) return
      for (const done of this.#waiting.splice(0)) done()
    })
  }

  #open(): RotatingFileStream | null {
    if (this.#stream !== null) return this.#stream
    if (Date.now() < this.#retryAtMs || !isFolder(dirname(this.#path))) return null
    const stream = createStream(namesOf(basename(this.#path)), {
      path: dirname(this.#path),
      size: `${FILE_BYTES}B`,
      maxFiles: OLD_FILES,
      history: `.${basename(this.#path)}.history`,
    })
    stream.on('error', () => {
      this.#lost++
      this.#stream = null
      this.#retryAtMs = Date.now() + REOPEN_AFTER_MS
    })
    stream.on('warning', () => {})
    this.#stream = stream
    return stream
  }
}

const namesOf =
  (name: string) =>
  (time: Date | number | null, index?: number): string =>
    time === null ? name : `${name}.${new Date(time).toISOString().replace(/[:.]/g, '-')}-${index ?? 0}`

function isFolder(path: string): boolean {
  try {
    return statSync(path).isDirectory()
  } catch {
    return false
  }
}
