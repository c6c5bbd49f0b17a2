/** What a span costs the game. Alternates the variants, so that all meet the same machine. Prints JSON. */
import { createProbe, type Sink } from '@lapsus/probe'
import { summary } from './statistics.ts'

const CALLS = 20_000
const ROUNDS = 60
const HEAP_SPANS = 10_000_000

const nowhere: Sink = { hasRoom: () => true, put: () => {}, close: () => Promise.resolve() }
const probe = createProbe({ game: 'bench', to: nowhere })
const off = createProbe({ game: 'bench' })
const marker = probe.marker('span')
const inBytes = createProbe({ game: 'bench', to: nowhere, mode: 'bytes' })
const bytesMarker = inBytes.marker('span')
const offMarker = off.marker('span')
let sink = 0

const VARIANTS = {
  clocks() {
    for (let i = 0; i < CALLS; i++) sink += performance.now() + performance.now()
  },
  span() {
    for (let i = 0; i < CALLS; i++) {
      probe.enter(marker)
      probe.leave()
    }
  },
  said() {
    for (let i = 0; i < CALLS; i++) {
      probe.enter(marker, (i & 7) + 1)
      probe.leave((i & 1) === 0)
    }
  },
  bytes() {
    for (let i = 0; i < CALLS; i++) {
      inBytes.enter(bytesMarker)
      inBytes.leave()
    }
  },
  off() {
    for (let i = 0; i < CALLS; i++) {
      off.enter(offMarker)
      off.leave()
    }
  },
  measure() {
    for (let i = 0; i < CALLS / 20; i++) {
      performance.mark('a')
      performance.measure('m', 'a')
      performance.clearMarks('a')
      performance.clearMeasures('m')
    }
  },
}

const taken = Object.fromEntries(Object.keys(VARIANTS).map((name) => [name, []])) as unknown as Record<
  keyof typeof VARIANTS,
  number[]
>
for (let round = 0; round < ROUNDS + 10; round++) {
  probe.frame()
  inBytes.frame()
  for (const [name, work] of Object.entries(VARIANTS) as [keyof typeof VARIANTS, () => void][]) {
    const startMs = performance.now()
    work()
    const calls = name === 'measure' ? CALLS / 20 : CALLS
    if (round >= 10) taken[name].push(((performance.now() - startMs) * 1e6) / calls)
  }
}
const ns = Object.fromEntries(Object.entries(taken).map(([name, values]) => [name, summary(values).median]))

const heap = () => {
  ;(globalThis as { gc?: () => void }).gc!()
  return process.memoryUsage().heapUsed
}
const before = heap()
for (let span = 0; span < HEAP_SPANS; span++) {
  if (span % 1000 === 0) probe.frame()
  probe.enter(marker)
  probe.leave()
}
const heapGrowth = heap() - before
console.log(JSON.stringify({ ns, heapGrowth, heapSpans: HEAP_SPANS, alive: sink > 0 }))
