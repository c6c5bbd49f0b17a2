/** OpenTelemetry traces as takes, and takes as those. */
import { expect } from 'chai'
import fc from 'fast-check'
import {
  exporter,
  inRows,
  OtlpTake,
  UnixTimes,
  WHOLE_FILE,
  readOtlp,
  readOtlpText,
  Skipped,
} from '@lapsus/core/exchange'
import { FormatError, type AnyRecord, type DeclareRecord, type TakeRecord } from '@lapsus/core/format'
import { richTake } from './support/rich-take.ts'
import { chunksOf, MS, read, utf8 } from './support/foreign.ts'

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
      spanId: fc.constantFrom('', 'a1', '00f067aa0ba902b7', 'FFFFFFFF0ba902b7', '00f067aa0ba902bg'),
      parentSpanId: fc.constantFrom<unknown>('a1', '00f067aa0ba902b7', '00f067aa0ba902bé', 7),
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
        expect(found!.resources).to.deep.equal(resources.map(inRows))
        expect(found!.problems.slice(0, skipped.named.length)).to.deep.equal(skipped.named)
        expect(found!.problems).to.have.length(skipped.count)
        read += found!.resources.reduce((sum, { spans: own }) => sum + own.count, 0)
      }),
    )
    expect(read).to.be.greaterThan(50)
  })

  it('says the same of spans that differ little from those before', () => {
    const hexadecimal = fc.constantFrom('00f067aa0ba902b7', '00f067aa0ba902b8', '10f067aa0ba902b7', '')
    const time = fc
      .constantFrom(0n, 7n, 1_000_000_000n, 12_345_678_901n)
      .map((ns) => String(1_700_000_000_000_000_000n + ns))
    const group = (name: string) => attribute('lapsus.group', { stringValue: name })
    const fields = {
      traceId: fc.constantFrom('5b8aa5a2d2c872e8321cf37308d69df2', '6b8aa5a2d2c872e8321cf37308d69df2'),
      spanId: hexadecimal,
      parentSpanId: hexadecimal,
      name: fc.constantFrom('sim', 'sum', 'a longer one'),
      startTimeUnixNano: time,
      endTimeUnixNano: time,
      attributes: fc.constantFrom([], [group('a')], [group('b')], [group('b'), worker]),
      events: fc.constantFrom<unknown>([], [{ name: 'bell', timeUnixNano: '1700000000000000003' }], null),
      kind: fc.constantFrom(1, 12),
    }
    const keys = Object.keys(fields)
    const orders = [keys, [...keys.slice(6), ...keys.slice(0, 6)], keys.slice(1, 6), [...keys, 'name']]
    const alike = fc
      .record({ ...fields, order: fc.nat(8), otherName: fields.name })
      .map(({ order, otherName, ...one }) => {
        // Mostly in the first; a key may come twice.
        const own = (orders[order] ?? keys).map((key, i) => {
          const value = i > 0 && i === keys.length ? otherName : one[key as keyof typeof one]
          return `${JSON.stringify(key)}:${JSON.stringify(value)}`
        })
        return `{${own.join(',')}}`
      })
    fc.assert(
      fc.property(fc.array(alike, { minLength: 20, maxLength: 60 }), (list) => {
        const text = `{"resourceSpans":[{"scopeSpans":[{"scope":{"name":"s"},"spans":[${list.join()}]}]}]}`
        const skipped = new Skipped()
        const found = readOtlpText(utf8(text), 0, utf8(text).length)!
        expect(found.resources).to.deep.equal(readOtlp(JSON.parse(text), skipped).map(inRows))
        expect(found.problems).to.have.length(skipped.count)
      }),
    )
  })

  it('is left to the platform where the text is not as usual, or no JSON', () => {
    const text = JSON.stringify(request(spans))
    const readsAs = (changed: string) => {
      const bytes = utf8(changed)
      const found = readOtlpText(bytes, 0, bytes.length)
      if (found === null) return null
      // What is read is what the platform reads.
      expect(found.resources).to.deep.equal(readOtlp(JSON.parse(changed), new Skipped()).map(inRows))
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
    // Also in one that is otherwise as those before.
    const again = JSON.stringify(request([spans[1]!, spans[1]!, spans[1]!]))
    for (let at = again.indexOf('sim', again.indexOf('sim') + 1); at < again.length; at++)
      for (const letter of ['', ',', '"', '}', ']', '\\', ' ', '0'])
        readsAs(again.slice(0, at) + letter + again.slice(at + 1))
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
    const atOnce = [...together.add(inRows(whole!)), ...together.flush()]
    const bit = new OtlpTake('t-whole-take', pieced)
    const pieces = [
      ...[...pieced.spans].reverse().flatMap((one) => bit.add(inRows({ ...pieced, spans: [one] }))),
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
    stream.add(inRows(resource!))
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
      take.add(inRows(structuredClone(one!)))
      take.add(inRows(structuredClone(other!)))
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
