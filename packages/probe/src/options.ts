import { RECORDING_MODES, type Conditions, type RecordingMode } from '@lapsus/core/format'
import type { HeapReader } from './heap.ts'
import type { Tripwires } from './keep-last.ts'
import type { ProblemListener, Sink } from './sinks/sink.ts'

/** How to record; the part that whoever starts the game may decide. */
export interface RecordingOptions {
  /**
   * - `timing`: two clock reads a span
   * - `bytes`: also reads the heap at both ends of a span, which takes longer
   * - `keep-last`: timing, kept in the game's memory and sent only when a tripwire trips or `keep` is called
   *
   * Default: timing.
   */
  mode?: RecordingMode
  /** Seconds kept before a trip, in mode keep-last. Default: 10. */
  keepSeconds?: number
  /** What trips, in mode keep-last. */
  tripwires?: Tripwires
}

export interface ProbeOptions extends RecordingOptions {
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
  /**
   * Identifies the take: 8 to 64 letters, digits, '-', '_'. Default: a new one each time.
   * In Node the environment variable LAPSUS_TAKE overrides it.
   */
  take?: string
  /** Circumstances worth keeping: build, device, scene, seed, load … What the probe can tell itself is filled in. */
  conditions?: Conditions
  /**
   * Undelivered bytes the game's memory may hold, in MB. Beyond it whole frames are left out.
   * Default: 64, which is about a minute and a half at 400 spans a frame and 60 frames a second.
   */
  bufferMb?: number
  /** Bytes on an engine's own heap, instead of the platform's. */
  heap?: HeapReader
  /** Told when something about the recording goes wrong. Default: console.warn. */
  onProblem?: ProblemListener
}

export const DEFAULT_TARGET = 60
export const DEFAULT_BUFFER_MB = 64
const DEFAULT_KEEP_SECONDS = 10

export const isWebSocketAddress = (to: string): boolean => /^wss?:\/\//.test(to)

/** The recording options, with their defaults in place of what is missing or wrong. */
export function recordingOptions(
  { mode = 'timing', keepSeconds = DEFAULT_KEEP_SECONDS, tripwires = {} }: RecordingOptions,
  hasHeap: boolean,
  onProblem: ProblemListener,
): Required<RecordingOptions> {
  if (!RECORDING_MODES.includes(mode)) {
    onProblem(`Lapsus: "mode" must be one of ${RECORDING_MODES.join(', ')}, got "${mode}"; recording times`)
    mode = 'timing'
  }
  if (mode === 'bytes' && !hasHeap) {
    onProblem('Lapsus: the heap cannot be read here; recording times only')
    mode = 'timing'
  }
  return { mode, keepSeconds: keepSeconds > 0 ? keepSeconds : DEFAULT_KEEP_SECONDS, tripwires }
}
