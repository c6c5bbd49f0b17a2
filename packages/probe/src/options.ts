import type { Conditions } from '@lapsus/core/format'
import type { ProblemListener, Sink } from './sinks/sink.ts'

export interface ProbeOptions {
  /** The game's name, as the library shows it. */
  game: string
  /** Frames a second the game aims for. Default: 60. */
  target?: number
  /**
   * Where the take goes: the address of a running Lapsus (`ws://127.0.0.1:4780`), in Node also a file
   * path, or a sink of your own. Default: nowhere, and every call costs one test.
   * In Node the environment variable LAPSUS_TO overrides it.
   */
  to?: string | Sink
  /** Circumstances worth keeping: build, device, scene, seed, load … What the probe can tell itself is filled in. */
  conditions?: Conditions
  /**
   * Undelivered bytes the game's memory may hold, in MB. Beyond it whole frames are left out.
   * Default: 64, which is about a minute and a half at 400 spans a frame and 60 frames a second.
   */
  bufferMb?: number
  /** Told when something about the recording goes wrong. Default: console.warn. */
  onProblem?: ProblemListener
}

export const DEFAULT_TARGET = 60
export const DEFAULT_BUFFER_MB = 64

export const isWebSocketAddress = (to: string): boolean => /^wss?:\/\//.test(to)
