/** Values that nobody should send, and somebody will. */
const nested = (depth: number): unknown => {
  let value: unknown = 1
  for (let i = 0; i < depth; i++) value = [value]
  return value
}

export const HOSTILE: readonly (() => unknown)[] = [
  () => null,
  () => true,
  () => 0,
  () => -1,
  () => 1,
  () => 0.5,
  () => 255,
  () => 65_536,
  () => 2 ** 31,
  () => 2 ** 32,
  () => 2 ** 53,
  () => 2 ** 63,
  () => 1e308,
  () => -1e308,
  () => 5e-324,
  () => '',
  () => '1',
  () => '9'.repeat(40),
  () => 'x'.repeat(300),
  () => 'x'.repeat(70_000),
  () => '\u0000',
  () => '💥',
  () => '\ud800',
  () => '̀'.repeat(200),
  () => "'; DROP TABLE takes; --",
  () => '__proto__',
  () => 'constructor',
  () => '../../etc',
  () => '9999-12-31T23:59:59.999Z',
  () => '-000001-01-01T00:00:00Z',
  () => [],
  () => ({}),
  () => nested(1_000),
  () => Array.from({ length: 5_000 }, (_, i) => i),
  () => Object.fromEntries(Array.from({ length: 2_000 }, (_, i) => [`k${i}`, i])),
  () => JSON.parse('{"__proto__": {"length": 1}, "toString": 1}'),
]
export const HOSTILE_NAMES = [
  '',
  '0',
  '__proto__',
  'constructor',
  'toString',
  'length',
  '\u0000',
  '💥',
  'x'.repeat(300),
]
export const HOSTILE_BEYOND_JSON: readonly (() => unknown)[] = [
  () => NaN,
  () => Infinity,
  () => -Infinity,
  () => undefined,
  () => 2n ** 64n - 1n,
  () => -(2n ** 63n),
  () => 2n ** 200n,
  () => new Uint8Array(0),
  () => new Uint8Array(64),
  () => new Uint8Array(100_000).fill(255),
]

export type Holder = Record<string, unknown>

/** Every value within, by what holds it. */
export function placesIn(root: object): { holder: Holder; key: string }[] {
  const places: { holder: Holder; key: string }[] = []
  const visit = (holder: Holder, depth: number) => {
    for (const key of Object.keys(holder)) {
      places.push({ holder, key })
      const inner = holder[key]
      if (inner !== null && typeof inner === 'object' && !ArrayBuffer.isView(inner) && depth < 12)
        visit(inner as Holder, depth + 1)
    }
  }
  visit(root as Holder, 0)
  return places
}
