/** Words and tables of docs/benchmarks.md. */
import { cpus, release, totalmem } from 'node:os'
import { three } from './words.mjs'

const MB = 1024 * 1024
const percent = (share) => `${Math.round(100 * share)} %`

/** What limits a figure that misses its aim, as far as it has been looked into. */
const LIMITED_BY = {
  'ingest, socket to commit':
    'One thread decodes, finds paths, sums up and packs every span of a game; the server’s own thread, MariaDB and the sender share the two cores with it. From run to run the figure varies by a quarter.',
  'ingest, against decoding, delta coding and deflating the same columns alone':
    'Alone the columns have a core at a pace that two busy cores do not keep: over an hour the same code took 150 to 240 ns a span alone, and 510 to 560 as ingest, once warm. Four fifths of both cores are at work then, two thirds of that on the thread that stores the game.',
  'import of OpenTelemetry JSON':
    'Read from the text without an object a span, several times as quickly as by way of JSON.parse. When the machine has more time the aim is met: 340,000 once.',
  'ten-minute take: strip interactive in the browser':
    'Most of it is the browser laying out and painting, which shares the two cores with server and database: the same pages took from 0.6 to 1.4 s within an hour, as the machine had time.',
  'ten-minute take: any view, as the server answers':
    'The median is well within; the slowest of five is the first, for which the server sorts spikes from typical frames.',
  'overlay, a frame': 'Drawn without a GPU; the same code took 0.08 ms when the machine had more time.',
}

/** @param figures what bench/probe.ts, bench/forecast.ts, bench/compare.ts and bench/server.ts print, and `bundles` in bytes */
export function benchmarkPage({ probe, emitters, forecast, compare, server, bundles }, date) {
  const { ns } = probe
  const {
    ingest,
    memory,
    demo,
    queries,
    diagnosis,
    drawing,
    manyGames,
    imports,
    live,
    overlay,
    busy,
    stalls,
  } = server
  const slowest = Object.entries(diagnosis.views).reduce((a, b) => (b[1].p95 > a[1].p95 ? b : a))
  const rows = [
    [
      'enter + leave, against two bare clock reads',
      '≤ 1.3 ×',
      `${three(ns.span / ns.clocks)} ×`,
      ns.span / ns.clocks <= 1.3,
    ],
    [
      'performance.mark + measure, against enter + leave',
      '≥ 3 ×',
      `${three(ns.measure / ns.span)} ×`,
      ns.measure / ns.span >= 3,
    ],
    [
      `heap growth over ${three(probe.heapSpans)} spans`,
      'none',
      `${three(probe.heapGrowth / 1024)} KiB`,
      probe.heapGrowth < MB,
    ],
    [
      'probe for browsers, minified and gzipped, all included',
      '≤ 12 kB',
      `${three(bundles.browser / 1000)} kB`,
      bundles.browser < 12_000,
    ],
    [
      `forecast of eight remedies over ${three(forecast.frames)} frames while one is dragged, in the page’s worker`,
      '≤ 50 ms',
      `${three(drawing.dragged.median)} ms (p95 ${three(drawing.dragged.p95)})`,
      drawing.dragged.median <= 50,
    ],
    [
      'ingest, socket to commit',
      '1.5 million spans/s',
      `${three(ingest.spansPerSecond)} spans/s`,
      ingest.spansPerSecond >= 1.5e6,
    ],
    [
      'ingest, against decoding, delta coding and deflating the same columns alone',
      '≥ 45 %',
      `${percent(ingest.columns.median)} (${percent(ingest.columns.least)} to ${percent(ingest.columns.most)}, four turns)`,
      ingest.columns.median >= 0.45,
    ],
    [
      'proving what is stored (chain, CRC, sums), alone, of ingest',
      '≤ 2 %',
      `${three(100 * ingest.proving.median)} % (${three(100 * ingest.proving.least)} to ${three(100 * ingest.proving.most)} %, four turns)`,
      ingest.proving.median <= 0.02,
    ],
    [
      'acknowledged, of 16 games of 60 × 1,000 spans/s while the ten-minute take is diagnosed and exported',
      'p99 < 2 s',
      `${three(busy.acknowledged.median)} ms (p99 ${three(busy.acknowledged.p99)})`,
      busy.acknowledged.p99 < 2000,
    ],
    [
      'the server’s own thread late, meanwhile',
      'p99 < 50 ms',
      `${three(busy.late.p99Ms)} ms (at most ${three(busy.late.mostMs)})`,
      busy.late.p99Ms < 50,
    ],
    [
      'health, meanwhile',
      'p99 < 100 ms',
      `${three(busy.health.median)} ms (p99 ${three(busy.health.p99)})`,
      busy.health.p99 < 100,
    ],
    ['import of a take file', '1 million spans/s', `${three(imports.lapsus)} spans/s`, imports.lapsus >= 1e6],
    [
      'import of Performance Timeline entries',
      '400,000 spans/s',
      `${three(imports.timeline)} spans/s`,
      imports.timeline >= 4e5,
    ],
    [
      'import of OpenTelemetry JSON',
      '300,000 spans/s',
      `${three(imports.otlp)} spans/s`,
      imports.otlp >= 3e5,
    ],
    ['server memory, idle', '≤ 120 MB', `${three(memory.idleMb)} MB`, memory.idleMb <= 120],
    [
      'server memory after the queries of the ten-minute take',
      '≤ 400 MB',
      `${three(server.afterQueriesMb)} MB`,
      server.afterQueriesMb <= 400,
    ],
    [
      'stored on the demo game, everything counted',
      '≤ 4 bytes/span',
      `${three(demo.storedBytesPerSpan)} bytes/span`,
      demo.storedBytesPerSpan <= 4,
    ],
    [
      'ten-minute take: strip interactive in the browser',
      '1 s',
      `${three(drawing.open.median)} ms (p95 ${three(drawing.open.p95)})`,
      drawing.open.p95 <= 1000,
    ],
    [
      'ten-minute take: any page',
      '16 ms, p95 100 ms',
      `${three(queries.page.median)} ms (p95 ${three(queries.page.p95)})`,
      queries.page.median <= 16 && queries.page.p95 <= 100,
    ],
    [
      'ten-minute take: ledger of a random range',
      '50 ms, p95 150 ms',
      `${three(queries.ledger.median)} ms (p95 ${three(queries.ledger.p95)})`,
      queries.ledger.median <= 50 && queries.ledger.p95 <= 150,
    ],
    [
      'ten-minute take: findings ready after the end of the recording',
      '1 s',
      `${three(ingest.diagnosisMs)} ms`,
      ingest.diagnosisMs <= 1000,
    ],
    [
      'ten-minute take: findings of a random range',
      '500 ms',
      `${three(diagnosis.range.median)} ms (p95 ${three(diagnosis.range.p95)})`,
      diagnosis.range.p95 <= 500,
    ],
    [
      'ten-minute take: any view, as the server answers',
      '300 ms',
      `the slowest, ${slowest[0]}: ${three(slowest[1].median)} ms (p95 ${three(slowest[1].p95)})`,
      slowest[1].p95 <= 300,
    ],
    [
      `comparison of two ten-minute takes, all ${compare.paths} paths with intervals`,
      '3 s',
      `${three(compare.compareMs.median)} ms`,
      compare.compareMs.median <= 3000,
    ],
    [
      'check of a take of 30 s, its spans read',
      '2 s',
      `${three(compare.checkMs.median)} ms`,
      compare.checkMs.median <= 2000,
    ],
    [
      'library of 5,000 takes: rows in the browser',
      '1 s',
      `${three(drawing.library.median)} ms (p95 ${three(drawing.library.p95)})`,
      drawing.library.p95 <= 1000,
    ],
    [
      'redraw of the strip, 36,000 frames',
      'p95 < 16.7 ms',
      `${three(drawing.strip.median)} ms (p95 ${three(drawing.strip.p95)})`,
      drawing.strip.p95 < 16.7,
    ],
    [
      'redraw of the page, 500 spans',
      'p95 < 16.7 ms',
      `${three(drawing.page.median)} ms (p95 ${three(drawing.page.p95)})`,
      drawing.page.p95 < 16.7,
    ],
  ]
  rows.push(
    [
      `redraw of the live view, 60 frames/s of 2,000 spans`,
      'p95 < 16.7 ms',
      `${three(live.ms.median)} ms (p95 ${three(live.ms.p95)}), ${three(live.redraws / live.seconds)} a second`,
      live.ms.p95 < 16.7,
    ],
    [
      'overlay, a frame',
      '< 0.1 ms',
      `${three(overlay.meanMs)} ms (a frame in which it redraws: at most ${three(overlay.worstMs)})`,
      overlay.meanMs < 0.1,
    ],
  )
  const missed = rows
    .filter((row) => !row[3])
    .map(([what]) => `- Missed: ${what}. ${LIMITED_BY[what] ?? ''}`.trim())
  return `# Benchmarks

Made by \`npm run bench\` on ${date}: ${cpus().length} × ${cpus()[0].model.trim()}, ${three(totalmem() / 1024 ** 3)} GiB, Linux ${release()}, Node.js ${process.versions.node}.
Where a machine matters, what is compared ran in the same process, in turns.
Two clock reads took ${three(ns.clocks)} ns: times and speeds of two runs compare by that, ratios, bytes and counts as they are.

| what | aim | measured | |
|---|---|---|---|
${rows.map(([what, aim, measured, met]) => `| ${what} | ${aim} | ${measured} | ${met ? 'met' : '**missed**'} |`).join('\n')}
${missed.length === 0 ? '' : `\n${missed.join('\n')}\n`}
Further figures of the same run:

- two clock reads ${three(ns.clocks)} ns; enter + leave ${three(ns.span)} ns; switched off ${three(ns.off)} ns; mark + measure ${three(ns.measure)} ns
- enter + leave with key and effect ${three(ns.said)} ns, ${three(ns.said / ns.clocks)} × two clock reads; in mode bytes, with two heap reads, ${three(ns.bytes)} ns, ${three(ns.bytes / ns.clocks)} ×
- enter + leave in other languages, against two readings of that language's clock: ${Object.entries(emitters)
    .map(([name, { spanNs, clocksNs }]) => `${name} ${three(spanNs)} ns, ${three(spanNs / clocksNs)} ×`)
    .join('; ')}
- the overlay, minified and gzipped: ${three(bundles.overlay / 1000)} kB
- ${manyGames.games} games at once: ${three(manyGames.spansPerSecond)} spans/s together, server memory at most ${three(manyGames.residentMb)} MB
- health, 99th percentile while the server has this in hand: ${Object.entries(stalls)
    .map(([what, ms]) => `${what} ${three(ms)} ms`)
    .join(', ')}
- import from a file, spans/s: take file ${three(imports.lapsus)}, JSON lines ${three(imports.jsonl)}, OpenTelemetry JSON ${three(imports.otlp)}, Performance Timeline ${three(imports.timeline)}; against the take file, ${three(imports.jsonl / imports.lapsus)}, ${three(imports.otlp / imports.lapsus)} and ${three(imports.timeline / imports.lapsus)}
- the probe in Node, bundled with its WebSocket library: ${three(bundles.node / 1000)} kB minified and gzipped
- made-up take: ${three(ingest.spans)} spans in ${ingest.chunks} chunks; ${three(ingest.storedBytesPerSpan)} bytes/span (its durations are noise, which does not pack)
- views of the ten-minute take, as the server answers, median of five: ${Object.entries(diagnosis.views)
    .map(([name, { median }]) => `${name} ${three(median)} ms`)
    .join(', ')}
- forecast of the same eight remedies from the beginning, in Node: ${three(forecast.forecastMs.median)} ms (p95 ${three(forecast.forecastMs.p95)}); reading the take for it ${three(forecast.readyMs)} ms
- demo take: ${three(demo.spans)} spans in ${three(demo.frames)} frames
- server memory: ${three(memory.idleMb)} MB idle, at most ${three(memory.duringMb.firstHalf)} MB in the first half of the ingest and ${three(memory.duringMb.secondHalf)} MB in the second; with the 16 games, diagnosis and export at most ${three(busy.residentMb.firstHalf)} and ${three(busy.residentMb.secondHalf)} MB in either half of the time
- opening the take over HTTP, conditions and all frame columns: ${three(queries.open.median)} ms
`
}
