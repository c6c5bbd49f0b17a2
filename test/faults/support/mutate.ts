/** Turns good input into something else: bytes as bytes, values as trees. */
import {
  HOSTILE,
  HOSTILE_BEYOND_JSON,
  HOSTILE_NAMES,
  placesIn,
  type Holder,
} from '../../../packages/core/test/support/hostile.ts'
import type { Random } from './random.ts'

const TELLING_BYTES = [
  0x00, 0x01, 0x0a, 0x22, 0x25, 0x27, 0x2f, 0x5c, 0x7f, 0x80, 0x9b, 0xbf, 0xf9, 0xfb, 0xff,
]
const MOST_OPERATIONS = 4
const MOST_INSERTED = 64

/** Some changes at places by chance: flipped, overwritten, left out, repeated, inserted, cut off. */
export function mutateBytes(random: Random, bytes: Uint8Array): Uint8Array {
  let changed = Uint8Array.from(bytes)
  for (let count = 1 + random.below(MOST_OPERATIONS); count > 0; count--)
    changed = mutateOnce(random, changed)
  return changed
}

function mutateOnce(random: Random, bytes: Uint8Array): Uint8Array<ArrayBuffer> {
  const changed = Uint8Array.from(bytes)
  const at = random.below(bytes.length + 1)
  const length = 1 + random.below(Math.min(MOST_INSERTED, bytes.length + 1))
  const around = (middle: Uint8Array, skip = 0) =>
    Uint8Array.from([...bytes.subarray(0, at), ...middle, ...bytes.subarray(at + skip)])
  switch (random.below(8)) {
    case 0:
      if (at < changed.length) changed[at]! ^= 1 << random.below(8)
      return changed
    case 1:
      if (at < changed.length) changed[at] = random.pick(TELLING_BYTES)
      return changed
    case 2:
      changed.set(random.bytes(Math.min(8, changed.length - at)), at)
      return changed
    case 3:
      return around(new Uint8Array(0), length)
    case 4:
      return around(bytes.subarray(at, at + length))
    case 5:
      return around(random.bytes(length))
    case 6:
      return around(new Uint8Array(length).fill(random.pick(TELLING_BYTES)), length)
    default:
      return changed.slice(0, at)
  }
}

/** A copy in which a few values, by chance, are hostile ones, missing, repeated or changed. */
export function mutateTree(random: Random, value: unknown, { json }: { json: boolean }): unknown {
  const hostile = json ? HOSTILE : [...HOSTILE, ...HOSTILE_BEYOND_JSON]
  const root = { value: copyOf(value) }
  for (let count = 1 + random.below(3); count > 0; count--) {
    const places = placesIn(root)
    const { holder, key } = random.pick(places)
    const old = holder[key]
    switch (random.below(6)) {
      case 0:
      case 1:
        holder[key] = random.pick(hostile)()
        break
      case 2:
        if (Array.isArray(holder)) holder.splice(Number(key), 1)
        else if (key !== 'value' || holder !== (root as object)) delete holder[key]
        break
      case 3:
        if (Array.isArray(holder)) holder.splice(Number(key), 0, copyOf(old))
        else set(holder, random.pick(HOSTILE_NAMES), copyOf(old))
        break
      case 4: {
        const other = random.pick(places)
        holder[key] = copyOf(other.holder[other.key])
        break
      }
      default:
        if (typeof old === 'number') holder[key] = old + random.pick([-1, 1, 1e9, 2 ** 40, 0.25])
        else if (typeof old === 'string') holder[key] = old + random.pick(['\u0000', 'é', ' ', '0'])
        else if (ArrayBuffer.isView(old)) holder[key] = mutateColumn(random, old as Uint8Array)
        else holder[key] = random.pick(hostile)()
    }
  }
  return root.value
}

const TELLING_NUMBERS = [
  -1,
  0,
  1,
  0.5,
  255,
  65_535,
  2 ** 31,
  2 ** 32 - 1,
  2 ** 53,
  2 ** 63,
  1e300,
  NaN,
  Infinity,
]

/** A column with one value changed, some missing, or some more. */
function mutateColumn(random: Random, column: ArrayLike<number>): Float64Array {
  const values = Array.from(column)
  const at = random.below(values.length + 1)
  if (random.below(3) > 0) values[Math.min(at, Math.max(0, values.length - 1))] = random.pick(TELLING_NUMBERS)
  else if (random.below(2) === 0) values.splice(at, 1)
  else values.splice(at, 0, ...values.slice(0, 3))
  return Float64Array.from(values)
}

/** As a field of its own, also one that is named "__proto__". */
const set = (holder: Holder, key: string, value: unknown) =>
  Object.defineProperty(holder, key, { value, writable: true, enumerable: true, configurable: true })

function copyOf(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(copyOf)
  if (value === null || typeof value !== 'object' || ArrayBuffer.isView(value)) return value
  return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, copyOf(inner)]))
}
