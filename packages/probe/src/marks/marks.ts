/** What marked functions call: their markers, frames where nobody says them, and an end to what costs too much. */
import type { MarkerId } from '../span-recorder.ts'

/** What is used of a probe. */
export interface MarkedProbe {
  readonly recording: boolean
  /** Frames begun so far. */
  readonly frameNumber: number
  /** What one span costs, ns; 0 before the first frame. */
  readonly spanNs: number
  /** Of a frame. */
  readonly budgetNs: number
  /** Told the spans of each frame, when it has ended. */
  onSpans: ((marker: Uint16Array, durationNs: Float64Array) => void) | null
  /** Markers and durations, ms, of the spans of the frame that is open. */
  spansOfFrame(): [Uint16Array, Float64Array]
  marker(name: string, options: { group: string; at?: { file: string; line: number } }): MarkerId
  frame(): void
  enter(marker: MarkerId): void
  leave(): void
  moment(name: string, data: Record<string, string | number>): void
}

export interface MarksOptions {
  /** Makes a probe where the game has none; null where nothing is to be recorded. */
  makeProbe(): MarkedProbe | null
  /** The function whose runs begin frames; where none is named, the first that is called from outside in two turns. */
  frame?: string | undefined
}

/** What a module's marked functions call; the numbers are those of its functions. */
export interface ModuleMarks {
  (index: number): number
  leave(token: number): void
  run(index: number): AsyncRun
}

/** More runs in a frame than this, of less time each, are too small to be marked. */
export const MOST_RUNS = 500
export const LEAST_NS = 2_000
/** Of a frame's budget: what recording may cost, over so many frames. */
export const MOST_SHARE = 0.03
export const JUDGED_FRAMES = 60

/** Token of a run that is not recorded while the loop is looked for. */
const WATCHED = -1
/** In place of a marker. */
const [UNDECLARED, LEFT_OUT] = [-1, -2]

interface MarkedPlace {
  name: string
  group: string
  file: string
  line: number
}

/** Runs and ns, by function. */
interface Sums {
  calls: Float64Array
  ns: Float64Array
}

export class Marks {
  readonly #options: MarksOptions
  readonly #functions: MarkedPlace[] = []
  readonly #names = new Set<string>()
  /** By function; below 0 where it has none. */
  #markers = new Int32Array(0)
  readonly #functionOf = new Map<MarkerId, number>()
  #probe: MarkedProbe | null = null
  /** Nothing is to be recorded. */
  #isOff = false
  /** The function that begins frames, where the game does not; it is running. */
  #loop = -1
  #inLoop = false
  #depth = 0
  /** Functions called from outside, with the turn of the event loop in which they were last. */
  readonly #seen = new Map<number, number>()
  #turn = 0
  #isTurnNoted = false
  /** Runs in the frame that is counted. */
  #runs = new Uint32Array(0)
  #countedFrame = 0
  #judged: Sums = sumsOf(0)
  #judgedFrames = 0
  /** What was left out since the last moment that said so, by why. */
  readonly #leftOut = new Map<string, string[]>()

  constructor(options: MarksOptions) {
    this.#options = options
  }

  /** Functions marked so far. */
  get count(): number {
    return this.#functions.length
  }

  get isRecording(): boolean {
    return this.#probe !== null
  }

  /** Takes up the functions of a module. @param group what they are summed up under */
  module(file: string, group: string, names: readonly string[], lines: readonly number[]): ModuleMarks {
    const first = this.#functions.length
    names.forEach((name, i) => {
      const line = lines[i] ?? 1
      if (this.#loop < 0 && name === this.#options.frame) this.#loop = first + i
      this.#functions.push({ name: this.#unusedName(name, file, line), group, file, line })
    })
    this.#markers = grown(this.#markers, this.#functions.length)
    this.#runs = new Uint32Array(this.#functions.length)
    this.#judged = sumsOf(this.#functions.length)
    this.#judgedFrames = 0
    return Object.assign((index: number) => this.enter(first + index), {
      leave: (token: number) => this.leave(token),
      run: (index: number) => new AsyncRun(this, first + index),
    })
  }

  /** Two places of one name would be one marker. */
  #unusedName(name: string, file: string, line: number): string {
    const unused =
      [name, `${name} (${file})`].find((one) => !this.#names.has(one)) ?? `${name} (${file}:${line})`
    this.#names.add(unused)
    return unused
  }

  /** @returns a token for `leave`; 0 where nothing is to be left */
  enter(index: number): number {
    if (this.#probe === null) return this.#isOff ? 0 : this.#seek(index)
    if (index !== this.#loop || this.#inLoop) return this.#begin(index, this.#probe)
    this.#inLoop = true
    this.#probe.frame()
    // Odd: the loop has ended with it.
    return this.#begin(index, this.#probe) + 1
  }

  /** Goes on with a run that had given the thread away. */
  resume(index: number): number {
    return this.#probe === null ? 0 : this.#begin(index, this.#probe)
  }

  #begin(index: number, probe: MarkedProbe): number {
    if (this.#leftOut.size > 0) this.#tellLeftOut(probe)
    let marker = this.#markers[index]!
    if (marker === LEFT_OUT) return 0
    if (marker === UNDECLARED) marker = this.#declare(index, probe)
    const frame = probe.frameNumber
    if (frame !== this.#countedFrame) {
      this.#countedFrame = frame
      this.#runs.fill(0)
    }
    // Known at once, before they fill the frame.
    if (++this.#runs[index]! === MOST_RUNS + 1 && this.#isTooSmall(marker, probe)) {
      this.#leaveOut(index, 'left out as too small')
      return 0
    }
    probe.enter(marker)
    return 2 * frame
  }

  leave(token: number): void {
    if (token === WATCHED) {
      this.#depth--
      return
    }
    const isLoop = token % 2
    if (isLoop === 1) this.#inLoop = false
    // A run that has lasted beyond its frame was ended with that.
    const probe = this.#probe!
    if (token > isLoop && token - isLoop === 2 * probe.frameNumber) probe.leave()
  }

  /** Judged by its runs in this frame. */
  #isTooSmall(wanted: MarkerId, probe: MarkedProbe): boolean {
    const [marker, durationMs] = probe.spansOfFrame()
    let [calls, ms] = [0, 0]
    for (let i = 0; i < marker.length; i++) {
      if (marker[i] !== wanted) continue
      calls++
      ms += durationMs[i]!
    }
    return ms * 1e6 < calls * LEAST_NS
  }

  #declare(index: number, probe: MarkedProbe): MarkerId {
    const { name, group, file, line } = this.#functions[index]!
    const marker = probe.marker(name, { group, at: { file, line } })
    this.#markers[index] = marker
    this.#functionOf.set(marker, index)
    return marker
  }

  /** Before anything is recorded: looks for a probe of the game's own, or for its loop. */
  #seek(index: number): number {
    const own = probesMade().find(({ recording }) => recording)
    if (own !== undefined) {
      this.#loop = -1
      this.#attach(own)
      return this.enter(index)
    }
    if (this.#options.frame === undefined && this.#depth === 0) {
      const before = this.#seen.get(index)
      if (before !== undefined && before < this.#turn) this.#loop = index
      this.#seen.set(index, this.#turn)
      this.#noteTurn()
    }
    if (index !== this.#loop) {
      this.#depth++
      return WATCHED
    }
    const made = this.#options.makeProbe()
    if (made === null) this.#isOff = true
    else this.#attach(made)
    return this.enter(index)
  }

  /** Whatever comes once this job is done is another turn. */
  #noteTurn(): void {
    if (this.#isTurnNoted) return
    this.#isTurnNoted = true
    queueMicrotask(() => {
      this.#turn++
      this.#isTurnNoted = false
    })
  }

  #attach(probe: MarkedProbe): void {
    this.#probe = probe
    probe.onSpans = (marker, durationNs) => this.#judge(marker, durationNs, probe)
  }

  #judge(marker: Uint16Array, durationNs: Float64Array, probe: MarkedProbe): void {
    const { calls, ns } = this.#judged
    for (let i = 0; i < marker.length; i++) {
      const index = this.#functionOf.get(marker[i]!)
      if (index === undefined) continue
      calls[index]!++
      ns[index]! += durationNs[i]!
    }
    if (++this.#judgedFrames === JUDGED_FRAMES) this.#judgeShare(probe)
  }

  /** The smallest go first, until what is left is cheap enough. */
  #judgeShare({ spanNs, budgetNs }: MarkedProbe): void {
    const { calls, ns } = this.#judged
    const inOrder = [...calls.keys()]
      .filter((index) => calls[index]! > 0 && this.#markers[index]! >= 0)
      .sort((a, b) => ns[a]! / calls[a]! - ns[b]! / calls[b]!)
    let costNs = inOrder.reduce((sum, index) => sum + calls[index]! * spanNs, 0)
    for (const index of inOrder) {
      if (costNs <= MOST_SHARE * budgetNs * JUDGED_FRAMES) break
      costNs -= calls[index]! * spanNs
      this.#leaveOut(index, `left out to keep recording below ${MOST_SHARE * 100} %`)
    }
    calls.fill(0)
    ns.fill(0)
    this.#judgedFrames = 0
  }

  #leaveOut(index: number, why: string): void {
    this.#markers[index] = LEFT_OUT
    this.#leftOut.set(why, [...(this.#leftOut.get(why) ?? []), this.#functions[index]!.name])
  }

  #tellLeftOut(probe: MarkedProbe): void {
    for (const [why, names] of this.#leftOut)
      probe.moment(why, { functions: names.length, names: names.join(', ').slice(0, 1_000) })
    this.#leftOut.clear()
  }
}

/** One run of an async function: recorded while it has the thread. */
class AsyncRun {
  readonly #marks: Marks
  readonly #index: number
  readonly #isLoop: boolean
  #token: number

  constructor(marks: Marks, index: number) {
    this.#marks = marks
    this.#index = index
    const token = marks.enter(index)
    this.#isLoop = token > 0 && token % 2 === 1
    this.#token = this.#isLoop ? token - 1 : token
  }

  away(): void {
    if (this.#token !== 0) this.#marks.leave(this.#token)
    this.#token = 0
  }

  back(): void {
    this.#token = this.#marks.resume(this.#index)
  }

  end(): void {
    this.away()
    // Its frame lasts until all of it is done.
    if (this.#isLoop) this.#marks.leave(1)
  }
}

const sumsOf = (functions: number): Sums => ({
  calls: new Float64Array(functions),
  ns: new Float64Array(functions),
})

function grown(markers: Int32Array, length: number): Int32Array<ArrayBuffer> {
  const larger = new Int32Array(length).fill(UNDECLARED)
  larger.set(markers)
  return larger
}

/** Where marked code finds its marks, and marks the probes that a game has made itself. */
const MARKS = 'lapsus.marks'
const PROBES = 'lapsus.probes'

const holder = globalThis as unknown as Record<symbol, unknown>

/** An expression for marked code: its module's marks, or nothing where nobody records. */
export const registryCall = (
  file: string,
  group: string,
  names: readonly string[],
  lines: readonly number[],
): string =>
  `(globalThis[Symbol.for(${JSON.stringify(MARKS)})]||(()=>0))(${[file, group, names, lines].map((one) => JSON.stringify(one)).join()})`

/** Has marked code find these marks. */
export function installMarks(marks: Marks): void {
  holder[Symbol.for(MARKS)] = marks.module.bind(marks)
}

/** Has marks find a probe that a game has made. */
export function noteProbe(probe: MarkedProbe): void {
  holder[Symbol.for(PROBES)] = [...probesMade(), probe]
}

const probesMade = (): MarkedProbe[] => (holder[Symbol.for(PROBES)] as MarkedProbe[] | undefined) ?? []
