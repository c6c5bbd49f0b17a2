/**
 * What a frame says besides its spans: gauges, watched values, lives, updaters. Counted while the frame
 * runs, noted when it is kept, taken at the hand-over. Counts of a frame that is left out go to the next;
 * the values of its gauges do not.
 */
import {
  LIMITS,
  type GaugeSamples,
  type LifeSamples,
  type UpdaterSamples,
  type WatchSamples,
} from '@lapsus/core/format'
import { Columns } from './growing-columns.ts'
import { shortName, textOf } from './given.ts'
import { UpdaterGroup } from './updater.ts'

interface Gauge {
  name: string
  unit: string
  variants: string[]
  value: number
  isSet: boolean
  noted: Columns<'frame' | 'value'>
}
interface Watch {
  name: string
  last: unknown
  looks: number
  changes: number
  noted: Columns<'frame' | 'looks' | 'changes'>
}
interface InstanceClass {
  name: string
  marker: number | null
  born: number
  died: number
  bytes: number
  lives: Columns<'frame' | 'born' | 'died' | 'bytes'>
  updaters: UpdaterGroup
}

const NOT_YET = Symbol('not looked at yet')

export class FrameSamples {
  readonly gauges: Gauge[] = []
  readonly watches: Watch[] = []
  readonly classes: InstanceClass[] = []
  /** Values noted since they were last taken. */
  noted = 0

  /** @param variants of a trial */
  gaugeId(name: string, unit: unknown, variants: string[] = []): number {
    return idOf(this.gauges, name, LIMITS.gauges, (short) => ({
      name: short,
      unit: textOf(unit).slice(0, LIMITS.nameLength),
      variants,
      value: 0,
      isSet: false,
      noted: new Columns(['frame', 'value']),
    }))
  }

  watchId(name: string): number {
    return idOf(this.watches, name, LIMITS.watches, (short) => ({
      name: short,
      last: NOT_YET,
      looks: 0,
      changes: 0,
      noted: new Columns(['frame', 'looks', 'changes']),
    }))
  }

  classId(name: string): number {
    return idOf(this.classes, name, LIMITS.classes, (short) => ({
      name: short,
      marker: null,
      born: 0,
      died: 0,
      bytes: 0,
      lives: new Columns(['frame', 'born', 'died', 'bytes']),
      updaters: new UpdaterGroup(),
    }))
  }

  setGauge(id: number, value: number): void {
    const gauge = this.gauges[id]
    if (gauge === undefined) return
    gauge.value = value
    gauge.isSet = true
  }

  look(id: number, value: unknown): void {
    const watch = this.watches[id]
    if (watch === undefined) return
    watch.looks++
    if (!Object.is(watch.last, value)) {
      if (watch.last !== NOT_YET) watch.changes++
      watch.last = value
    }
  }

  /** Forgets the gauges of a frame that is left out. */
  forgetGauges(): void {
    for (const gauge of this.gauges) gauge.isSet = false
  }

  /** Notes, for frame `frame` of the chunk to come, what was counted since the last kept frame. */
  note(frame: number): void {
    for (const gauge of this.gauges) {
      if (!gauge.isSet) continue
      gauge.isSet = false
      gauge.noted.push(frame, gauge.value)
      this.noted++
    }
    for (const watch of this.watches) {
      if (watch.looks === 0) continue
      watch.noted.push(frame, watch.looks, watch.changes)
      this.noted++
      watch.looks = watch.changes = 0
    }
    for (const item of this.classes) {
      if (item.born > 0 || item.died > 0) {
        item.lives.push(frame, item.born, item.died, Math.min(item.bytes, LIMITS.largestWhole))
        this.noted++
        item.born = item.died = item.bytes = 0
      }
      if (item.updaters.note(frame)) this.noted++
    }
  }

  /** Everything noted since the last call. */
  take(): {
    gauges: GaugeSamples[]
    watches: WatchSamples[]
    lives: LifeSamples[]
    updaters: UpdaterSamples[]
  } {
    const samples = {
      gauges: this.gauges.flatMap(({ noted }, gauge): GaugeSamples[] =>
        noted.isEmpty ? [] : [{ gauge, frame: noted.uint('frame'), value: noted.float('value') }],
      ),
      watches: this.watches.flatMap(({ noted }, watch): WatchSamples[] =>
        noted.isEmpty
          ? []
          : [
              {
                watch,
                frame: noted.uint('frame'),
                looks: noted.uint('looks'),
                changes: noted.uint('changes'),
              },
            ],
      ),
      lives: this.classes.flatMap(({ lives }, id): LifeSamples[] =>
        lives.isEmpty
          ? []
          : [
              {
                class: id,
                frame: lives.uint('frame'),
                born: lives.uint('born'),
                died: lives.uint('died'),
                bytes: lives.float('bytes'),
              },
            ],
      ),
      updaters: this.classes.flatMap(({ updaters }, id) => updaters.take(id)),
    }
    this.noted = 0
    for (const { noted } of [...this.gauges, ...this.watches]) noted.clear()
    for (const { lives } of this.classes) lives.clear()
    return samples
  }
}

function idOf<T extends { name: string }>(
  items: T[],
  name: string,
  most: number,
  make: (short: string) => T,
): number {
  const short = shortName(name)
  const known = items.findIndex((item) => item.name === short)
  // Beyond the limit the handle names nothing, and what is said of it is not kept.
  if (known >= 0 || items.length >= most) return known >= 0 ? known : most
  return items.push(make(short)) - 1
}
