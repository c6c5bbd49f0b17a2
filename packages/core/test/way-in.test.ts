/** What reads whatever comes in: item ends, data that fits, spool files, messages, the order of traces. */
import { expect } from 'chai'
import { decode as otherDecode, encode as otherEncode } from 'cbor2'
import 'cbor2/types'
import fc from 'fast-check'
import {
  CUT,
  encodeRecord,
  FormatError,
  fittingData,
  ItemScanner,
  LIMITS,
  readIngestMessage,
  readSpoolName,
  scanItem,
  spooledRecords,
  spoolName,
  validateRecord,
} from '@lapsus/core/format'
import { frameAt, NO_PATH, PathTable, type Marker } from '@lapsus/core/take'
import { EarliestFirst } from '../src/exchange/earliest-first.ts'
import { leaveOutNewPaths } from '../src/take/leave-out.ts'
import { HOSTILE, HOSTILE_BEYOND_JSON, placesIn, type Holder } from './support/hostile.ts'
import { richTake } from './support/rich-take.ts'
import { chunkRecord, declareRecord, node, takeRecord } from './support/takes.ts'

describe('the end of an item', () => {
  const anything = fc.anything({
    maxDepth: 3,
    withNullPrototype: false,
    key: fc.string(),
    values: [fc.string(), fc.integer(), fc.double({ noNaN: true }), fc.boolean(), fc.constant(null)],
  })

  it('is found as another encoder put it, however the bytes come in', () => {
    fc.assert(
      fc.property(anything, fc.nat(9), fc.array(fc.nat(12), { minLength: 1 }), (value, skip, steps) => {
        const item = otherEncode(value)
        const bytes = Uint8Array.from([...new Uint8Array(skip), ...item, 1, 2, 3])
        expect(scanItem(bytes, skip)).to.equal(skip + item.length)
        const scanner = new ItemScanner()
        let end = CUT
        let come = skip
        for (let i = 0; end === CUT; i++) {
          // Every piece, the empty one too, until all has come.
          come = Math.min(bytes.length, come + steps[i % steps.length]! + (i > 1_000 ? 1 : 0))
          end = scanner.scan(bytes.subarray(0, come), skip)
          if (end === CUT) expect(come).to.be.below(skip + item.length)
        }
        expect(end).to.equal(skip + item.length)
      }),
    )
  })

  it('is not awaited beyond the largest record, nor at any depth', () => {
    const long = (bytes: number) => Uint8Array.of(0x5a, bytes >>> 24, bytes >>> 16, bytes >>> 8, bytes)
    expect(scanItem(long(LIMITS.recordBytes - 5), 0)).to.equal(CUT)
    expect(() => scanItem(long(LIMITS.recordBytes - 4), 0)).to.throw(FormatError, 'a record of more than')
    const deep = (levels: number) => new Uint8Array(levels).fill(0x81)
    expect(scanItem(deep(LIMITS.itemDepth - 1), 0)).to.equal(CUT)
    expect(() => scanItem(deep(LIMITS.itemDepth + 1), 0)).to.throw(FormatError, 'nested deeper')
  })
})

describe('a record with any value in any place', () => {
  it('is a good one or is refused in words', () => {
    let refused = 0
    let good = 0
    for (const record of richTake()) {
      const bytes = encodeRecord(record)
      const decoded = () => ({ value: otherDecode(bytes) as Holder })
      const count = placesIn(decoded()).length
      for (let i = 0; i < count; i++) {
        for (const hostile of [...HOSTILE, ...HOSTILE_BEYOND_JSON]) {
          const root = decoded()
          const { holder, key } = placesIn(root)[i]!
          holder[key] = hostile()
          try {
            validateRecord(root.value)
            good++
          } catch (error) {
            if (!(error instanceof FormatError)) throw new Error(`${key}: ${String(error)}`, { cause: error })
            refused++
          }
        }
      }
    }
    expect(refused).to.be.above(3_000)
    expect(good).to.be.above(100)
  })
})

describe('data that fits', () => {
  it('keeps what a take can hold, as long as its JSON keeps within the limit', () => {
    const dictionary = fc.dictionary(
      fc.string({ maxLength: 20 }),
      fc.oneof(fc.string({ unit: 'binary', maxLength: 6_000 }), fc.double(), fc.boolean(), fc.object()),
    )
    fc.assert(
      fc.property(dictionary, (values) => {
        const { data, leftOut } = fittingData(values)
        expect(Buffer.byteLength(JSON.stringify(data))).to.be.at.most(LIMITS.dataBytes)
        expect(Object.keys(data).length + leftOut).to.equal(Object.keys(values).length)
        for (const [name, value] of Object.entries(data)) expect(value).to.equal(values[name])
      }),
    )
  })

  it('is cut between values, just where the limit is', () => {
    // {"a":"…"} is 8 bytes beside the text; a comma's room is always counted.
    const fits = (length: number) => fittingData({ a: 'x'.repeat(length) }).leftOut === 0
    expect(fits(LIMITS.dataBytes - 9)).to.equal(true)
    expect(fits(LIMITS.dataBytes - 8)).to.equal(false)
  })

  it('leaves out what cannot be read, and keeps names that mean something elsewhere', () => {
    const hostile = Object.defineProperty({ good: 1, text: 'a', nan: NaN, list: [1] }, 'getter', {
      enumerable: true,
      get: () => {
        throw new Error('no')
      },
    })
    expect(fittingData(hostile)).to.deep.equal({ data: { good: 1, text: 'a' }, leftOut: 3 })
    const named = fittingData(JSON.parse('{"__proto__": 1, "constructor": "b"}') as object).data
    expect(JSON.stringify(named)).to.equal('{"__proto__":1,"constructor":"b"}')
    const sly = new Proxy({}, { ownKeys: () => [][0 as never] as never })
    expect(fittingData(sly)).to.deep.equal({ data: {}, leftOut: 0 })
  })
})

describe('a spool file', () => {
  const name = { host: '127.0.0.1', port: 4780, take: 'a-take-of-mine', writer: 'w-1', first: 7 }

  it('says by its name where it belongs', () => {
    for (const host of ['127.0.0.1', 'localhost', '[::1]', 'lapsus.example.org'])
      expect(readSpoolName(spoolName({ ...name, host }))).to.deep.equal({ ...name, host })
    expect(readSpoolName(spoolName({ ...name, lines: true }))).to.deep.equal({ ...name, lines: true })
    const good = spoolName(name)
    for (const file of ['', good.slice(1, -6), `${good}.taken`, `../${good}`, good.replace('~7', '~x')])
      expect(readSpoolName(file), file).to.equal(null)
  })

  it('gives its whole records, also when it is cut', () => {
    const records = [takeRecord(), declareRecord(1, [{ name: 'a' }]), chunkRecord(2, [])].map(encodeRecord)
    const file = Buffer.concat(records)
    expect([...spooledRecords(file)].map((bytes) => Buffer.from(bytes).toString('hex'))).to.deep.equal(
      records.map((bytes) => Buffer.from(bytes).toString('hex')),
    )
    for (const missing of [1, records[2]!.length - 1])
      expect([...spooledRecords(file.subarray(0, file.length - missing))]).to.have.length(2)
    expect([...spooledRecords(new Uint8Array(0))]).to.have.length(0)
  })
})

describe('what a server says to a recorder', () => {
  it('is understood in both versions of the protocol', () => {
    const meaning = (text: string) => readIngestMessage(text)
    expect(meaning('{"type":"ack","ack":5}')).to.deep.equal({ type: 'ack', ack: 5 })
    expect(meaning('{"ack":5}')).to.deep.equal({ type: 'ack', ack: 5 })
    const refused = { code: 'bad-field', message: 'no' }
    for (const type of [{}, { type: 'refused' }])
      expect(meaning(JSON.stringify({ ...type, refused }))).to.deep.equal({ type: 'refused', refused })
    expect(meaning('{"order":"stop"}')).to.deep.equal({ type: 'order', order: 'stop' })
    expect(meaning('{"type":"order","order":"keep","cause":"now"}')).to.deep.equal({
      type: 'order',
      order: 'keep',
      cause: 'now',
    })
    expect(meaning('{"type":"note","note":"n"}')).to.deep.equal({ type: 'note', note: 'n' })
    // A newer server may say more.
    expect(meaning('{"type":"ack","ack":5,"more":{}}')).to.deep.equal({ type: 'ack', ack: 5 })
  })

  it('is nothing, above all no acknowledgement, where it is not understood', () => {
    const none = [
      ...['', 'hello', 'null', '[]', '{}', '1', '"ack"', '{"ack":null}', '{"ack":"5"}', '{"ack":-1}'],
      ...['{"ack":1.5}', '{"ack":1e300}', '{"refused":null}', '{"refused":{}}', '{"type":"later","ack":5}'],
      ...['{"type":"ack"}', '{"type":"note"}', '{"order":"dance"}', '{"type":5,"ack":5}'],
    ]
    for (const text of none) expect(readIngestMessage(text), text).to.equal(null)
    fc.assert(
      fc.property(fc.oneof(fc.string(), fc.json()), (text) => {
        const message = readIngestMessage(text)
        if (message?.type === 'ack')
          expect(Number.isSafeInteger(message.ack) && message.ack >= 0).to.equal(true)
      }),
    )
  })
})

describe('the frame at a time', () => {
  it('is the last that began by then, as a search from the beginning finds it', () => {
    fc.assert(
      fc.property(fc.array(fc.nat(50), { maxLength: 30 }), fc.integer({ min: -5, max: 60 }), (times, at) => {
        const starts = Float64Array.from(times).sort()
        let expected = 0
        for (let i = 0; i < starts.length; i++) if (starts[i]! <= at) expected = i
        expect(frameAt(starts, at)).to.equal(expected)
      }),
    )
  })
})

describe('items by their time', () => {
  it('come out earliest first, as sorting gives them', () => {
    const times = fc.array(fc.integer({ min: -20, max: 20 }))
    fc.assert(
      fc.property(times, fc.integer({ min: -25, max: 25 }), (given, bound) => {
        const heap = new EarliestFirst<{ at: number }>(({ at }) => at)
        for (const at of given) heap.push({ at })
        const sorted = [...given].sort((a, b) => a - b)
        const isEarly = (at: number) => at <= bound
        const early = heap.takeUntil(bound)
        expect(early.map(({ at }) => at)).to.deep.equal(sorted.filter(isEarly))
        expect(heap.size).to.equal(sorted.length - early.length)
        const rest: number[] = []
        for (let item = heap.pop(); item !== undefined; item = heap.pop()) rest.push(item.at)
        expect(rest).to.deep.equal(sorted.filter((at) => !isEarly(at)))
      }),
    )
  })
})

describe('a take with as many paths as it may have', () => {
  it('leaves out runs of new ones, with what ran inside, and keeps the rest', () => {
    const paths = new PathTable()
    const marker = (id: number): Marker => ({ id, name: `m${id}`, groupId: 0 }) as Marker
    const outer = paths.child(NO_PATH, 0, marker(0))
    paths.child(outer, 0, marker(1))
    const chunk = chunkRecord(2, [
      { lanes: [[node(0, 10, [node(1, 5), node(2, 7, [node(1, 3)]), node(1, 2)])]], restNs: 0 },
      { lanes: [[node(2, 4, [node(0, 1)]), node(0, 6)]], restNs: 0 },
    ])
    const { lanes, repaired, frameDurationNs } = leaveOutNewPaths(chunk, paths)
    expect(Array.from(lanes[0]!.marker)).to.deep.equal([0, 1, 1, 0])
    expect(Array.from(lanes[0]!.count)).to.deep.equal([3, 1])
    expect(Array.from(lanes[0]!.depth)).to.deep.equal([0, 1, 1, 0])
    // Their time stays with what they ran in.
    expect(Array.from(lanes[0]!.durationNs)).to.deep.equal([27, 5, 2, 6])
    expect(Array.from(frameDurationNs)).to.deep.equal(Array.from(chunk.frameDurationNs))
    expect(repaired).to.equal(4)
  })
})
