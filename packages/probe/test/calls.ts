/** Any calls of the probe with any arguments, in Node and in a page. */
import fc from 'fast-check'
import type { Probe } from '../src/probe.ts'

/** Things that games should never give, and do. */
export const hostile = [
  undefined,
  null,
  NaN,
  -1,
  Infinity,
  1e300,
  0.5,
  '',
  'x'.repeat(100_000),
  '\u0000\ud800',
  10n,
  Symbol('s'),
  {},
  [],
  () => {},
  Object.create(null) as object,
  {
    get kind() {
      throw new Error('a getter')
    },
    get every() {
      throw new Error('another')
    },
  },
  new Proxy({}, { ownKeys: () => [][0] as never, get: () => [][0]![0] }),
  { toString: () => [][0]![0], valueOf: () => [][0]![0] },
  { kind: 'wait:forever', tags: [Symbol('t'), 5], watches: ['a', -1, 99], group: 5, unit: {} },
  { a: NaN, b: 'x'.repeat(50_000), c: () => {}, d: 1, ['e'.repeat(20_000)]: 2 },
]
export const anything = fc.oneof(
  fc.constantFrom<unknown>(...hostile),
  fc.anything(),
  fc.nat(5),
  fc.constantFrom('a', 'b'),
)

type Call = [method: string, args: unknown[]]
/** Everything of the public API that a loop calls. */
const METHODS = [
  ...['frame', 'enter', 'leave', 'run', 'marker', 'steps', 'gaugeId', 'gauge', 'watchId', 'watch', 'classId'],
  ...['born', 'died', 'updater', 'moment', 'keep', 'dispatch', 'beginJob', 'endJob', 'mark'],
]
export const calls = fc.array(
  fc.tuple(fc.constantFrom(...METHODS), fc.array(anything, { maxLength: 3 })) as fc.Arbitrary<Call>,
  { maxLength: 60 },
)

/** Makes the calls, of an updater too where one comes back. */
export function play(probe: Probe, list: Call[]): void {
  for (const [method, args] of list) {
    const result = (probe as unknown as Record<string, (...args: unknown[]) => unknown>)[method]!(...args)
    if (method === 'updater') {
      const updater = result as Record<string, (...args: unknown[]) => void>
      for (const call of ['enable', 'every', 'idle', 'dispose']) updater[call]!(...args)
    }
  }
}
