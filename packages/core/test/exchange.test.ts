/** Takes in other formats: in, out, and what is done with what is wrong. */
import { expect } from 'chai'
import fc from 'fast-check'
import {
  AnySource,
  Assembler,
  csvRow,
  exporter,
  jsonLine,
  OtlpTake,
  UnixTimes,
  WHOLE_FILE,
  readOtlp,
  readOtlpText,
  Skipped,
  type LooseSpan,
  LooseSpans,
  type TakeSource,
} from '@lapsus/core/exchange'
import {
  emptyChunk,
  FormatError,
  LIMITS,
  validateRecord,
  type AnyRecord,
  type ChunkRecord,
  type DeclareRecord,
  type TakeRecord,
} from '@lapsus/core/format'
import { Digester } from '@lapsus/core/take'
import { JsonReader } from '../src/exchange/json-reader.ts'
import {
  arbitraryFrames,
  bytesOf,
  chunkRecord,
  declareRecord,
  node,
  takeRecord,
  type FrameSpec,
} from './support/takes.ts'
import { richTake } from './support/rich-take.ts'

const MS = 1_000_000
const utf8 = (text: string) => new TextEncoder().encode(text)

/** Reads bytes in pieces of some size. */
function read(bytes: Uint8Array, frameMarker?: string, piece = bytes.length || 1) {
  const source: TakeSource = new AnySource({ take: 'given-identity', game: 'Given', frameMarker })
  const records: AnyRecord[] = []
  for (let at = 0; at < bytes.length; at += piece) {
    source.push(bytes.subarray(at, at + piece), (record) => records.push(record))
  }
  source.finish((record) => records.push(record))
  return { records, source }
}

function chunksOf(records: AnyRecord[]): ChunkRecord[] {
  return records.filter((record): record is ChunkRecord => record.record === 'chunk')
}

const names = (records: AnyRecord[]) =>
  records.flatMap((record) => (record.record === 'declare' ? record.markers.map(({ name }) => name) : []))

/** The same value with typed arrays as plain ones, for comparing. */
const plain = (value: unknown): unknown =>
  JSON.parse(
    JSON.stringify(value, (_, item: unknown) =>
      ArrayBuffer.isView(item) ? [...(item as Uint8Array)] : item,
    ),
  )

describe('JSON lines', () => {
  it('hold everything that a take file holds, and come back the same', () => {
    const records = richTake()
    const text = records.map(jsonLine).join('')
    expect(text.split('\n')).to.have.length(records.length + 1)
    const { records: back, source } = read(utf8(text))
    expect(plain(back)).to.deep.equal(plain(records))
    expect(source).to.include({ format: 'json-lines', ended: true })
  })

  it('come back from any frames, in pieces of any size', () => {
    fc.assert(
      fc.property(arbitraryFrames(3), fc.integer({ min: 1, max: 999 }), (frames, piece) => {
        const records = [
          takeRecord(),
          declareRecord(1, [{ name: 'ä' }, { name: 'b' }, { name: 'c' }]),
          chunkRecord(2, frames),
        ]
        const { records: back } = read(utf8(records.map(jsonLine).join('')), undefined, piece)
        expect(plain(back)).to.deep.equal(plain(records))
      }),
      { numRuns: 40 },
    )
  })

  it('need no numbers, and wrong lines are named, counted and passed over', () => {
    const text = [
      '{"record":"take","lapsus":1,"take":"by-hand-1","game":"Lua","target":60,"started":"2026-01-02T03:04:05Z"}',
      '{"record":"declare","markers":[{"id":0,"name":"update"}],"lanes":[{"id":0,"name":"main"}]}',
      'this is not JSON',
      '',
      '{"record":"chunk","frames":{"start":[0],"duration":[null]}}',
      '{"record":"chunk","frames":{"start":["0"],"duration":[1]}}',
      '{"record":"chunk","frames":{"start":[0],"duration":[16000000]},"lanes":[{"lane":0,"count":[1],"marker":[0],"start":[1],"duration":[2],"depth":[0]}]}',
    ].join('\n')
    const { records, source } = read(utf8(text))
    expect(records.map(({ record }) => record)).to.deep.equal(['take', 'declare', 'chunk'])
    expect(records.slice(1).map((record) => (record as ChunkRecord).sequence)).to.deep.equal([1, 2])
    expect(source.ended).to.equal(false)
    expect(source.skipped.count).to.equal(3)
    const [json, isNull, isText] = source.skipped.named
    expect(json).to.match(/^line 3: expected a line of JSON/)
    expect(isNull).to.equal('line 5: expected "duration[0]" to be a number, got null')
    expect(isText).to.equal('line 6: expected "start[0]" to be a number, got "0"')
  })

  it('without a first record are refused', () => {
    expect(() => read(utf8('{"record":"end"}\n'))).to.throw(FormatError, 'the first record is another')
    expect(() => read(utf8('{"record":"take","lapsus":1}\n'))).to.throw(FormatError, '"take"')
  })
})

describe('Performance Timeline', () => {
  const entries = [
    { name: 'frame', entryType: 'measure', startTime: 100, duration: 16 },
    { name: 'frame', entryType: 'measure', startTime: 116, duration: 20 },
    { name: 'sim', entryType: 'measure', startTime: 101, duration: 10 },
    { name: 'ai', entryType: 'measure', startTime: 102, duration: 4 },
    { name: 'sim', entryType: 'measure', startTime: 117, duration: 12 },
    { name: 'bell', entryType: 'mark', startTime: 118, duration: 0 },
    { name: 'self', entryType: 'longtask', startTime: 116, duration: 60 },
    { name: 'visible', entryType: 'visibility-state', startTime: 0, duration: 0 },
  ]

  it('becomes frames, nested spans and moments; long tasks are kept on a lane of their own', () => {
    const { records, source } = read(utf8(JSON.stringify(entries)))
    expect(source).to.include({ format: 'timeline', ended: true })
    expect(records[0]).to.include({ game: 'Given', take: 'given-identity' })
    const [chunk] = chunksOf(records)
    expect([...chunk!.frameStartNs]).to.deep.equal([0, 16 * MS])
    expect([...chunk!.frameDurationNs]).to.deep.equal([16 * MS, 20 * MS])
    expect([...chunk!.lanes[0]!.depth]).to.deep.equal([0, 1, 0])
    expect([...chunk!.lanes[0]!.count]).to.deep.equal([2, 1])
    expect([...chunk!.lanes[0]!.startNs]).to.deep.equal([1 * MS, 2 * MS, 17 * MS])
    expect(chunk!.lanes).to.have.length(2)
    expect(names(records)).to.deep.equal(['sim', 'ai', 'longtask'])
    expect(chunk!.moments).to.deep.equal([{ name: 'bell', atNs: 18 * MS, data: null }])
    expect(source.skipped.count).to.equal(0)
  })

  it('takes marks as the beginnings of frames where no measure is one', () => {
    const marks = [0, 16, 33].map((startTime) => ({
      name: 'tick',
      entryType: 'mark',
      startTime,
      duration: 0,
    }))
    const { records } = read(utf8(JSON.stringify({ timeOrigin: 0, entries: marks })), 'tick')
    expect([...chunksOf(records)[0]!.frameDurationNs]).to.deep.equal([16 * MS, 17 * MS])
  })

  it('is read the same whatever else its entries say, and however that is written', () => {
    const say = (text: string) => {
      const { records, source } = read(utf8(text))
      return { chunks: chunksOf(records), skipped: source.skipped.summary }
    }
    const usual = say(JSON.stringify(entries))
    const more = entries.map((entry) => ({ detail: { at: [1e-7, 'a "b"'] }, ...entry, seen: null }))
    expect(say(JSON.stringify(more, null, 1))).to.deep.equal(usual)
    expect(say(` {"timeOrigin":0,"other":{},"entries":${JSON.stringify(entries)} } `)).to.deep.equal(usual)
    const escaped = JSON.stringify(entries)
      .replaceAll('"name":"', '"name":"\\u0066')
      .replaceAll('\\u0066frame', 'fr\\u0061me')
    expect(say(escaped).chunks[0]!.frameStartNs).to.deep.equal(usual.chunks[0]!.frameStartNs)
    const withDuration = (number: string) =>
      JSON.stringify(entries).replace(/"duration":\d+/, `"duration":${number}`)
    // Numbers that are none to the platform are none here.
    for (const wrong of ['01', '1.', '.5', '-', '1e', '1x'])
      expect(() => say(withDuration(wrong)), wrong).to.throw(FormatError, 'it is not JSON')
    expect(say(withDuration('"1"')).skipped).to.contain('entry 0: expected "duration" to be a number')
    expect(say(withDuration('1.6e1')).skipped).to.equal(usual.skipped)
    expect(() => read(utf8(`[${'1,'.repeat(5000)}1]`))).to.throw(FormatError, 'entry 0: expected an object')
  })

  it('names wrong entries by their index, and refuses a file with nothing right', () => {
    const { source } = read(
      utf8(JSON.stringify([...entries, { name: 'x', entryType: 'measure', startTime: -1, duration: 1 }, 7])),
    )
    expect(source.skipped.named).to.deep.equal([
      'entry 8: expected "startTime" to be a number of ms from 0 to 4503599627, got -1',
      'entry 9: expected an object',
    ])
    expect(() => read(utf8('[]'))).to.throw(FormatError, 'there is no entry')
    expect(() => read(utf8('[1, 2]'))).to.throw(FormatError, 'entry 0')
    expect(() => read(utf8(JSON.stringify([entries[2]])))).to.throw(FormatError, '--frame-marker')
    expect(() => read(utf8('[{'))).to.throw(FormatError, 'not JSON')
    expect(() => read(utf8('{"hello": 1}'))).to.throw(FormatError, 'neither')
  })
})

describe('numbers read from text', () => {
  it('are those that the platform reads, to the last bit', () => {
    const some = fc.oneof(
      fc.double({ min: 0, max: 1e9, noNaN: true }).map(String),
      fc.tuple(fc.nat(99_999_999), fc.nat(99_999_999)).map(([whole, rest]) => `${whole}.${rest}`),
      fc.nat().map((rest) => `0.000000000000000000000${rest}`),
      fc.bigInt({ min: 0n, max: 10n ** 25n }).map(String),
    )
    let read = 0
    fc.assert(
      fc.property(some, (text) => {
        try {
          const reader = new JsonReader(utf8(text))
          expect(reader.number()).to.equal(text.includes('e') ? NaN : JSON.parse(text))
          expect(reader.isAtEnd).to.equal(true)
          read++
        } catch (error) {
          if (!text.includes('e')) throw error
        }
      }),
      { numRuns: 2_000 },
    )
    expect(read).to.be.greaterThan(1_000)
  })
})

describe('OpenTelemetry', () => {
  const attribute = (key: string, value: object) => ({ key, value })
  const span = (
    name: string,
    startMs: number,
    endMs: number,
    attributes: object[] = [],
    more: object = {},
  ) => ({
    name,
    startTimeUnixNano: String(1_700_000_000_000_000_000n + BigInt(Math.round(startMs * MS))),
    endTimeUnixNano: String(1_700_000_000_000_000_000n + BigInt(Math.round(endMs * MS))),
    attributes,
    ...more,
  })
  const frame = (index: number, startMs: number, endMs: number) =>
    span('loop', startMs, endMs, [attribute('lapsus.frame', { intValue: index })])
  const request = (spans: (object | null)[]) => ({
    resourceSpans: [
      {
        resource: { attributes: [attribute('service.name', { stringValue: 'Traced' })] },
        scopeSpans: [{ scope: { name: 'physics' }, spans }],
      },
    ],
  })
  const worker = attribute('thread.name', { stringValue: 'worker 7' })
  const spans = [
    span('solve', 2, 6, [
      attribute('lapsus.effect', { boolValue: false }),
      attribute('lapsus.bytes', { intValue: '640' }),
    ]),
    span('sim', 1, 9),
    span('upload', 9, 15, [attribute('lapsus.kind', { stringValue: 'wait:graphics' })]),
    span('job', 3, 20, [worker]),
    frame(0, 0, 16),
    span('sim', 17, 25, [], {
      events: [
        {
          name: 'bell',
          timeUnixNano: '1700000000018000000',
          attributes: [attribute('shift', { doubleValue: 3 })],
        },
      ],
    }),
    frame(1, 16, 33),
  ]

  it('becomes frames, lanes, kinds, effects, bytes and moments', () => {
    const { records, source } = read(utf8(JSON.stringify(request(spans))))
    expect(source).to.include({ format: 'otlp-json', ended: true })
    expect(source.skipped.summary).to.equal(null)
    expect(records[0]).to.include({ game: 'Traced', started: '2023-11-14T22:13:20.000Z' })
    const declared = records.find((record): record is DeclareRecord => record.record === 'declare')!
    expect(declared.lanes.map(({ name }) => name)).to.deep.equal(['main', 'worker 7'])
    expect(declared.markers.map(({ name, kind, group }) => [name, kind, group])).to.deep.equal([
      ['sim', 'work', 'physics'],
      ['solve', 'work', 'physics'],
      ['upload', 'wait:graphics', 'physics'],
      ['job', 'work', 'physics'],
    ])
    const [chunk] = chunksOf(records)
    const [main, other] = chunk!.lanes
    expect([...main!.count]).to.deep.equal([3, 1])
    expect([...main!.depth]).to.deep.equal([0, 1, 0, 0])
    expect([...main!.effect!]).to.deep.equal([0, 1, 0, 0])
    expect([...main!.bytes!]).to.deep.equal([-1, 640, -1, -1])
    expect([...other!.startNs]).to.deep.equal([3 * MS])
    expect(chunk!.moments).to.deep.equal([{ name: 'bell', atNs: 18 * MS, data: { shift: 3 } }])
  })

  it('is read line by line too, with the frame marker given', () => {
    const loops = spans.map((one) => (one.name === 'loop' ? { ...one, attributes: [] } : one))
    const text = [
      JSON.stringify(request(loops.slice(0, 5))),
      'broken',
      JSON.stringify(request(loops.slice(5))),
    ].join('\n')
    const { records, source } = read(utf8(text), 'loop')
    expect(chunksOf(records)[0]!.frameStartNs.length).to.equal(2)
    expect(source.skipped.named[0]).to.match(/^line 2: /)
    expect(() => read(utf8(text))).to.throw(FormatError, 'no span is a frame')
  })

  it('is read the same in lines, however they come, as in one request, on one line or over several', () => {
    const requests = Array.from({ length: 40 }, (_, i) =>
      request([
        span('sim', 16 * i + 1, 16 * i + 9),
        span('solve', 16 * i + 2, 16 * i + 6),
        frame(i, 16 * i, 16 * i + 16),
      ]),
    )
    const one = { resourceSpans: requests.flatMap(({ resourceSpans }) => resourceSpans) }
    const expected = read(utf8(JSON.stringify(one))).records
    expect(chunksOf(expected)[0]!.frameStartNs.length).to.equal(40)
    const lines = requests.map((each) => JSON.stringify(each))
    lines.splice(20, 0, '', '{"resourceSpans": [')
    for (const piece of [1, 100, 5_000, 1_000_000]) {
      for (const end of ['\n', '\r\n', '\n\n']) {
        for (const text of [lines.join(end), `\ufeff${lines.join(end)}${end}`]) {
          const { records, source } = read(utf8(text), undefined, piece)
          expect(records).to.deep.equal(expected)
          expect(source.skipped.named.map((words) => words.split(':')[0])).to.deep.equal([
            `line ${end === '\n\n' ? 43 : 22}`,
          ])
        }
      }
      for (const text of [JSON.stringify(one, null, 2), `\n${JSON.stringify(one)}`])
        expect(read(utf8(text), undefined, piece).records).to.deep.equal(expected)
    }
  })

  it('names wrong spans by their index and passes them over', () => {
    const wrong = [
      { ...span('a', 1, 2), startTimeUnixNano: 'soon' },
      span('b', 5, 4),
      { ...span('', 1, 2) },
      span('c', 1, 2, [attribute('lapsus.kind', { stringValue: 'magic' })]),
      null,
    ]
    const { source } = read(utf8(JSON.stringify(request([...spans, ...wrong]))))
    expect(source.skipped.count).to.equal(5)
    expect(source.skipped.named[0]).to.equal(
      'span 7: expected "startTimeUnixNano" to be a time in ns, got "soon"',
    )
    expect(source.skipped.named[3]).to.contain('span 10: expected "lapsus.kind" to be one of')
    expect(() => read(utf8(JSON.stringify(request(wrong))))).to.throw(FormatError, 'span 0')
  })

  it('says the same as text and as objects, however it is written', () => {
    const names = ['lapsus.frame', 'lapsus.kind', 'lapsus.bytes', 'lapsus.key', 'lapsus.effect', 'thread.id']
    const texts = fc.oneof(fc.string({ unit: 'grapheme' }), fc.constantFrom('sim', 'a "quoted" one', 'é\n'))
    const value = fc.oneof(
      fc.record({ stringValue: texts }),
      fc.record({ intValue: fc.oneof(fc.integer().map(String), fc.integer(), fc.constant('')) }),
      fc.record({ boolValue: fc.boolean() }),
      fc.record({ doubleValue: fc.double() }),
      fc.jsonValue(),
    )
    const anyAttribute = fc.oneof(
      { weight: 9, arbitrary: fc.record({ key: fc.oneof(fc.constantFrom(...names), texts), value }) },
      fc.jsonValue(),
    )
    const time = fc.oneof(
      {
        weight: 9,
        arbitrary: fc.integer({ min: 0, max: 3e9 }).map((ns) => String(1700000000n * 10n ** 9n + BigInt(ns))),
      },
      fc.constantFrom<unknown>('0', '', '12a', '00000000000000000000000', '99999999999999999999', 5, null),
    )
    const fields = {
      traceId: texts,
      spanId: fc.constantFrom('', 'a1', 'b2'),
      parentSpanId: fc.constantFrom<unknown>('a1', 'b2', 7),
      name: fc.oneof({ weight: 9, arbitrary: texts }, fc.jsonValue()),
      kind: fc.constantFrom<unknown>(1, 10, null, 'SPAN_KIND_INTERNAL'),
      startTimeUnixNano: time,
      endTimeUnixNano: time,
      attributes: fc.oneof(
        { weight: 9, arbitrary: fc.array(anyAttribute, { maxLength: 4 }) },
        fc.jsonValue(),
      ),
      events: fc.oneof(
        fc.constant([]),
        fc.array(fc.record({ name: texts, timeUnixNano: time })),
        fc.jsonValue(),
      ),
      status: fc.jsonValue(),
    }
    const anySpan = fc.oneof(
      {
        weight: 9,
        // Keys come in any order.
        arbitrary: fc
          .tuple(fc.record(fields, { requiredKeys: ['name'] }), fc.nat(9))
          .map(([one, by]) =>
            Object.fromEntries([...Object.entries(one).slice(by), ...Object.entries(one).slice(0, by)]),
          ),
      },
      fc.jsonValue(),
    )
    const whole = fc.array(
      fc.record({
        resource: fc.oneof(fc.record({ attributes: fc.array(anyAttribute) }), fc.jsonValue()),
        scopeSpans: fc.array(fc.record({ scope: fc.record({ name: texts }), spans: fc.array(anySpan) })),
      }),
    )
    let read = 0
    fc.assert(
      fc.property(whole, fc.constantFrom(undefined, 1, '\t'), (resourceSpans, indent) => {
        const text = JSON.stringify({ resourceSpans }, null, indent)
        const skipped = new Skipped()
        const bytes = utf8(`x${text}x`)
        const found = readOtlpText(bytes, 1, bytes.length - 1, 'sim')
        const resources = readOtlp(JSON.parse(text), skipped, 'sim')
        expect(found!.resources).to.deep.equal(resources)
        expect(found!.problems.slice(0, skipped.named.length)).to.deep.equal(skipped.named)
        expect(found!.problems).to.have.length(skipped.count)
        read += resources.reduce((sum, { spans: own }) => sum + own.length, 0)
      }),
    )
    expect(read).to.be.greaterThan(50)
  })

  it('is left to the platform where the text is not as usual, or no JSON', () => {
    const text = JSON.stringify(request(spans))
    const readsAs = (changed: string) => {
      const bytes = utf8(changed)
      const found = readOtlpText(bytes, 0, bytes.length)
      if (found === null) return null
      // What is read is what the platform reads.
      expect(found.resources).to.deep.equal(readOtlp(JSON.parse(changed), new Skipped()))
      return found.resources.length
    }
    expect(readsAs(text)).to.equal(1)
    const { scopeSpans, resource } = request(spans).resourceSpans[0]!
    const twice = text.replace('"scopeSpans":', '"scopeSpans":[{"spans":[{"name":"a"}]}],"scopeSpans":')
    const [{ scope, spans: own }] = scopeSpans as [{ scope: unknown; spans: unknown[] }]
    const late = JSON.stringify({ resourceSpans: [{ resource, scopeSpans: [{ spans: own, scope }] }] })
    for (const changed of [twice, late, `${text}{}`, '', '7', '{"resourceSpans":{}}', '{"resourceSpans":[]'])
      expect(readsAs(changed), changed).to.equal(null)
    // Any letter may be missing, or another.
    for (let at = 0; at < text.length; at += 5) {
      readsAs(text.slice(0, at))
      for (const letter of ['', ',', '"', '}', ']', '\\', ' ', '0'])
        readsAs(text.slice(0, at) + letter + text.slice(at + 1))
    }
    // A list of what are no spans at all is soon given up.
    const none = utf8(`{"resourceSpans":[{"scopeSpans":[{"spans":[${'0,'.repeat(5000)}0]}]}]}`)
    expect(readOtlpText(none, 0, none.length)).to.equal(null)
  })

  it('survives anything in place of a request', () => {
    fc.assert(
      fc.property(fc.jsonValue(), (value) => {
        readOtlp(value, new Skipped())
        readOtlp({ resourceSpans: [{ scopeSpans: [{ spans: [value] }], resource: value }] }, new Skipped())
      }),
    )
  })

  it('gives each service instance once, and none that has nothing to say', () => {
    const { scopeSpans, resource } = request(spans).resourceSpans[0]!
    const resourceSpans = [5, null, { resource }, { resource, scopeSpans }, {}, { resource, scopeSpans }]
    const found = readOtlp({ resourceSpans }, new Skipped())
    expect(found).to.have.length(1)
    expect(found[0]!.spans).to.have.length(2 * readOtlp(request(spans), new Skipped())[0]!.spans.length)
  })

  it('gives the same frames however the spans are cut into requests, and whichever overtakes which', () => {
    const [whole] = readOtlp(request(spans), new Skipped())
    const pieced = structuredClone(whole!)
    const together = new OtlpTake('t-whole-take', whole!)
    const atOnce = [...together.add(whole!), ...together.flush()]
    const bit = new OtlpTake('t-whole-take', pieced)
    const pieces = [
      ...[...pieced.spans].reverse().flatMap((one) => bit.add({ ...pieced, spans: [one] })),
      ...bit.flush(),
    ]
    expect(bit.outside).to.equal(0)
    const frames = (records: AnyRecord[]) => chunksOf(records).flatMap((chunk) => [...chunk.frameStartNs])
    expect(frames(pieces)).to.deep.equal(frames(atOnce))
    const spanCount = (records: AnyRecord[]) =>
      chunksOf(records).reduce(
        (sum, chunk) => sum + chunk.lanes.reduce((n, lane) => n + lane.marker.length, 0),
        0,
      )
    expect(spanCount(pieces)).to.equal(spanCount(atOnce))
  })

  it('loses nothing of a file with more spans than may wait in a stream', () => {
    const at = (ns: number) => String(1_700_000_000_000_000_000n + BigInt(ns))
    const many = Array.from({ length: 640_000 }, (_, i) =>
      i % 5 === 0
        ? { name: 'frame', startTimeUnixNano: at(i * 1e3), endTimeUnixNano: at((i + 5) * 1e3) }
        : { name: 'run', startTimeUnixNano: at(i * 1e3), endTimeUnixNano: at(i * 1e3 + 500) },
    )
    const { source, records } = read(utf8(JSON.stringify(request(many))), 'frame')
    expect(source.skipped.summary).to.equal(null)
    const spanCount = chunksOf(records).reduce((sum, { lanes }) => sum + lanes[0]!.marker.length, 0)
    expect(spanCount).to.equal((640_000 * 4) / 5)
    // A stream has a bound: the earliest that wait for a frame are left out.
    const [resource] = readOtlp(request(many.slice(1, 5)), new Skipped(), 'frame')
    const stream = new OtlpTake('t-stream', resource!, { mostWaiting: 3, holdNs: 1e9 })
    stream.add(resource!)
    expect(stream.outside).to.equal(1)
  })

  it('keeps every ns, whatever second each request counts from', () => {
    const origin = 1_700_000_000_999_999_990n
    const at = (ns: bigint) => String(origin + ns)
    const own = [
      { name: 'frame', startTimeUnixNano: at(0n), endTimeUnixNano: at(17n) },
      {
        name: 'run',
        startTimeUnixNano: at(1n),
        endTimeUnixNano: at(4n),
        events: [{ name: 'bell', timeUnixNano: at(3n) }],
      },
    ]
    const later = [
      { name: 'frame', startTimeUnixNano: at(7_000_000_017n), endTimeUnixNano: at(7_000_000_036n) },
      { name: 'run', startTimeUnixNano: at(7_000_000_020n), endTimeUnixNano: at(7_000_000_025n) },
    ]
    const [first] = readOtlp(request(own), new Skipped(), 'frame')
    const [second] = readOtlp(request(later), new Skipped(), 'frame')
    expect(second!.baseS - first!.baseS).to.equal(8)
    for (const [one, other] of [
      [first!, second!],
      [second!, first!],
    ]) {
      const take = new OtlpTake('t-two', structuredClone(one!), WHOLE_FILE)
      take.add(structuredClone(one!))
      take.add(structuredClone(other!))
      const records = take.flush()
      expect((records[0] as TakeRecord).started).to.equal('2023-11-14T22:13:20.999Z')
      const [chunk] = chunksOf(records)
      expect([...chunk!.frameStartNs]).to.deep.equal([0, 7_000_000_017])
      expect([...chunk!.frameDurationNs]).to.deep.equal([17, 19])
      expect([...chunk!.lanes[0]!.startNs]).to.deep.equal([1, 7_000_000_020])
      expect([...chunk!.lanes[0]!.durationNs]).to.deep.equal([3, 5])
      expect(chunk!.moments).to.deep.equal([{ name: 'bell', atNs: 3, data: null }])
    }
  })

  it('reads times as texts, numbers and 64-bit numbers, and nothing else', () => {
    fc.assert(
      fc.property(fc.bigInt(1n, 2n ** 63n - 1n), fc.bigInt(0n, 8_000_000_000_000_000n), (ns, after) => {
        const times = new UnixTimes()
        const first = times.read(String(ns))!
        expect(BigInt(times.baseS!) * 1_000_000_000n + BigInt(first)).to.equal(ns)
        expect(times.read(ns)).to.equal(first)
        if (ns + after < 2n ** 63n) expect(times.read(ns + after)! - first).to.equal(Number(after))
      }),
    )
    expect(new UnixTimes(0).read(5_000_000_001)).to.equal(5_000_000_001)
    for (const wrong of [
      '',
      '-1',
      '1.5',
      '1e9',
      '0',
      0,
      -1,
      0.5,
      NaN,
      2n ** 64n,
      '9'.repeat(20),
      '1'.repeat(21),
      null,
      true,
    ])
      expect(new UnixTimes().read(wrong), String(wrong)).to.equal(null)
  })

  it('is written so that it comes back with the same frames, names, nesting and moments', () => {
    const records = richTake()
    const write = exporter('otlp')
    const text = records.map((record) => String(write(record))).join('')
    const { records: back } = read(utf8(text))
    const [before] = chunksOf(records)
    const [after] = chunksOf(back)
    // ns since 1970 and the take's own ns agree up to the first frame's start.
    const originNs = before!.frameStartNs[0]!
    expect([...after!.frameStartNs]).to.deep.equal([...before!.frameStartNs].map((ns) => ns - originNs))
    expect([...after!.frameDurationNs]).to.deep.equal([...before!.frameDurationNs])
    expect([...after!.lanes[0]!.depth]).to.deep.equal([...before!.lanes[0]!.depth])
    expect([...after!.lanes[0]!.effect!]).to.deep.equal([...before!.lanes[0]!.effect!])
    expect(after!.moments.map(({ name }) => name)).to.deep.equal(before!.moments.map(({ name }) => name))
  })
})

describe('assembling spans without nesting', () => {
  /** Runs of the main lane as they would come without nesting, their names by what they are named with. */
  const looseOf = (frames: FrameSpec[], nameOf: ((index: number) => string) | null) => {
    // Spans of no length lie inside each other in no certain order.
    const sized = JSON.parse(JSON.stringify(frames), (key, value) =>
      key === 'selfNs' ? value + 1 : value,
    ) as FrameSpec[]
    const chunk = chunkRecord(1, sized)
    const main = chunk.lanes[0]
    const open: number[] = []
    const spans = [...(main?.marker ?? [])].map((marker, i): LooseSpan => {
      open.length = main!.depth[i]!
      const parent = open.at(-1)
      open.push(i)
      return {
        ...{ lane: 'main', name: `m${marker}`, group: '', kind: 'work', effect: 0, bytes: -1 },
        ...{ startNs: main!.startNs[i]!, durationNs: main!.durationNs[i]! },
        ...(nameOf === null
          ? {}
          : { id: nameOf(i), parent: parent === undefined ? 'frame' : nameOf(parent) }),
      }
    })
    const loose = [...chunk.frameStartNs.keys()].map((i) => ({
      startNs: chunk.frameStartNs[i]!,
      durationNs: chunk.frameDurationNs[i]!,
    }))
    return { spans, loose, depth: [...(main?.depth ?? [])] }
  }
  const depthsOf = (chunk: ChunkRecord) => [...(chunk.lanes.find(({ lane }) => lane === 0)?.depth ?? [])]

  it('nests by time exactly as the tree it came from', () => {
    fc.assert(
      fc.property(arbitraryFrames(3, 6), (frames) => {
        const { spans, loose, depth } = looseOf(frames, null)
        if (loose.length === 0) return
        const [built] = chunksOf(new Assembler('main').chunks(loose, LooseSpans.of(spans), []))
        expect(depthsOf(built!)).to.deep.equal(depth)
        expect(built!.repaired).to.equal(0)
      }),
    )
  })

  it('nests by names of any kind as it does by time, in whatever order the spans come', () => {
    const namings = [
      (index: number) => (index + 1).toString(16).padStart(16, '0'),
      (index: number) => `${'f'.repeat(8)}${index.toString(16).padStart(8, 'A')}`,
      (index: number) => `span ${index}`,
      (index: number) => (index % 2 === 0 ? `${index}` : `${index}`.padStart(16, 'é')),
    ]
    fc.assert(
      fc.property(arbitraryFrames(3, 6), fc.constantFrom(...namings), fc.nat(), (frames, naming, turn) => {
        const { spans, loose, depth } = looseOf(frames, naming)
        if (loose.length === 0) return
        const at = turn % Math.max(1, spans.length)
        const turned = [...spans.slice(at), ...spans.slice(0, at)]
        const [built] = chunksOf(new Assembler('main').chunks(loose, LooseSpans.of(turned), []))
        expect(depthsOf(built!)).to.deep.equal(depth)
      }),
    )
  })

  it('nests by parents where they are given, whatever small things the clocks say', () => {
    const span = (id: string, parent: string, startNs: number, durationNs: number): LooseSpan => ({
      ...{ id, parent, startNs, durationNs },
      ...{ lane: 'main', name: id, group: '', kind: 'work', effect: 0, bytes: -1 },
    })
    const spans = [
      span('a', 'frame', 1000, 5000),
      span('b', 'a', 900, 2000),
      span('c', 'a', 2800, 3300),
      span('d', 'c', 3000, 10),
      span('loop', 'loop', 7000, 10),
      span('e', 'f', 8000, 10),
      span('f', 'e', 8000, 10),
    ]
    const records = new Assembler('main').chunks([{ startNs: 0, durationNs: 9000 }], LooseSpans.of(spans), [])
    const [chunk] = chunksOf(records)
    const [lane] = chunk!.lanes
    const declared = names(records)
    // Two that claim to be in each other are in nothing that can be laid out.
    expect([...lane!.marker].map((id) => declared[id])).to.deep.equal(['a', 'b', 'c', 'd', 'loop'])
    expect([...lane!.depth]).to.deep.equal([0, 1, 1, 2, 0])
    expect([...lane!.startNs]).to.deep.equal([1000, 1000, 2900, 3000, 7000])
    expect([...lane!.durationNs]).to.deep.equal([5000, 1900, 3100, 10, 10])
    expect(chunk!.repaired).to.equal(2)
  })

  it('takes brothers that begin in the same ms in the order in which they ended', () => {
    const span = (id: string, durationNs: number): LooseSpan => ({
      ...{ id, parent: 'frame', startNs: 1e6, durationNs },
      ...{ lane: 'main', name: id, group: '', kind: 'work', effect: 0, bytes: -1 },
    })
    const records = new Assembler('main').chunks(
      [{ startNs: 0, durationNs: 1e7 }],
      LooseSpans.of([span('wait', 2.4e6), span('sim', 0.8e6)]),
      [],
    )
    const [lane] = chunksOf(records)[0]!.lanes
    expect([...lane!.marker].map((id) => names(records)[id])).to.deep.equal(['sim', 'wait'])
    expect([...lane!.startNs]).to.deep.equal([1e6, 1.8e6])
  })

  it('cuts a run that outlasts what it began in, and says so', () => {
    const loose = (startNs: number, durationNs: number): LooseSpan => ({
      lane: 'main',
      name: 'a',
      group: '',
      kind: 'work',
      startNs,
      durationNs,
      effect: 0,
      bytes: -1,
    })
    const [chunk] = chunksOf(
      new Assembler('main').chunks(
        [{ startNs: 0, durationNs: 1e7 }],
        LooseSpans.of([loose(0, 5e6), loose(4e6, 4e6)]),
        [],
      ),
    )
    expect([...chunk!.lanes[0]!.durationNs]).to.deep.equal([5e6, 1e6])
    expect(chunk!.repaired).to.equal(1)
  })

  it('cuts chunks so that each stays within the limits, losing nothing', () => {
    const PER_FRAME = 3_000
    const FRAMES = 100
    const frames = Array.from({ length: FRAMES }, (_, i) => ({ startNs: i * 1e7, durationNs: 1e7 }))
    const spans = Array.from({ length: FRAMES * PER_FRAME }, (_, i): LooseSpan => ({
      ...{ lane: 'main', name: 'a', group: '', kind: 'work', effect: 0, bytes: -1, durationNs: 5 },
      startNs: Math.floor(i / PER_FRAME) * 1e7 + (i % PER_FRAME) * 10,
    }))
    const chunks = chunksOf(new Assembler('main').chunks(frames, LooseSpans.of(spans), []))
    const sizes = chunks.map(({ lanes }) => lanes[0]!.marker.length)
    expect(Math.max(...sizes)).to.be.below(LIMITS.chunkSpans / 2)
    expect(sizes.reduce((a, b) => a + b)).to.equal(FRAMES * PER_FRAME)
    const counts = chunks.flatMap(({ lanes }) => [...lanes[0]!.count])
    expect(counts).to.deep.equal(new Array(FRAMES).fill(PER_FRAME))
    // Written as a take file they are read again.
    expect(() => validateRecord(JSON.parse(jsonLine(chunks[0]!)))).not.to.throw()
  })

  it('leaves out, and counts, what one frame has beyond the limit', () => {
    const spans = Array.from({ length: LIMITS.chunkSpans + 7 }, (_, i): LooseSpan => ({
      ...{
        lane: 'main',
        name: 'a',
        group: '',
        kind: 'work',
        effect: 0,
        bytes: -1,
        durationNs: 1,
        startNs: i * 2,
      },
    }))
    const [chunk] = chunksOf(
      new Assembler('main').chunks([{ startNs: 0, durationNs: 1e9 }], LooseSpans.of(spans), []),
    )
    expect(chunk!.lanes[0]!.marker.length).to.equal(LIMITS.chunkSpans)
    expect(chunk!.repaired).to.equal(7)
  })

  it('folds names made per entity', () => {
    const spans = Array.from({ length: 20_000 }, (_, i): LooseSpan => ({
      lane: `lane ${i % 400}`,
      name: `letter ${i}`,
      group: '',
      kind: 'work',
      startNs: i,
      durationNs: 1,
      effect: 0,
      bytes: -1,
    }))
    const records = new Assembler('main').chunks([{ startNs: 0, durationNs: 1e9 }], LooseSpans.of(spans), [])
    const digester = new Digester()
    for (const record of records) {
      if (record.record === 'declare') digester.declare(record)
      if (record.record === 'chunk') expect(digester.digest(record).spans.path.length).to.equal(20_000)
    }
    expect(names(records).at(-1)).to.equal('(more than a take may have)')
  })
})

describe('CSV', () => {
  it('quotes what needs it (RFC 4180) and defuses formulas', () => {
    expect(csvRow(['a', 1.5, NaN, 'x,y', 'say "hi"', 'two\nlines', '=1+1'])).to.equal(
      'a,1.5,,"x,y","say ""hi""","two\nlines",\'=1+1\r\n',
    )
  })

  it('has a row a frame, times in ms', () => {
    const write = exporter('csv')
    const records = [
      takeRecord(),
      declareRecord(1, [{ name: 'sim' }, { name: 'wait', kind: 'wait:refresh' }]),
      chunkRecord(2, [{ lanes: [[node(0, 4 * MS), node(1, 6 * MS)]], restNs: 0 }]),
    ]
    const rows = records
      .map((record) => String(write(record)))
      .join('')
      .split('\r\n')
    expect(rows[0]).to.match(/^frame,start ms,duration ms,work ms,wait refresh ms/)
    expect(rows[1]).to.match(/^0,0,10,4,6,0,0,0,0,0,,0,2,$/)
  })
})

describe('CSV of odd takes', () => {
  it('has its head once, also before chunks without frames, and in takes without chunks', () => {
    const head = [takeRecord(), declareRecord(1, [{ name: 'sim' }])]
    const csv = (records: AnyRecord[]) => {
      const write = exporter('csv')
      return records
        .map((record) => String(write(record)))
        .join('')
        .trimEnd()
        .split('\r\n')
    }
    expect(csv(head)).to.have.length(1)
    const one = chunkRecord(4, [{ lanes: [[node(0, 1000)]], restNs: 0 }])
    const rows = csv([...head, emptyChunk(2), emptyChunk(3), one])
    expect(rows).to.have.length(2)
    expect(rows[1]).to.match(/^0,0,0.001,/)
  })
})

describe('any file', () => {
  it('is known by its content, and a take file is read as before', () => {
    const { records, source } = read(bytesOf(richTake()), undefined, 7)
    expect(source).to.include({ format: 'take', ended: true })
    expect(records).to.have.length(richTake().length)
  })

  it('gives a FormatError or records, whatever bytes it has', () => {
    const good = utf8(richTake().map(jsonLine).join(''))
    fc.assert(
      fc.property(
        fc.nat(good.length - 1),
        fc.integer({ min: 0, max: 255 }),
        fc.nat(good.length),
        (at, byte, end) => {
          const mutated = good.slice(0, Math.max(at + 1, end))
          mutated[at] = byte
          try {
            read(mutated)
          } catch (error) {
            expect(error).to.be.instanceOf(FormatError)
          }
        },
      ),
      { numRuns: 300 },
    )
  })
})
