import { expect } from 'chai'
import { readFileSync } from 'node:fs'
import { decode as otherDecode, encode as otherEncode } from 'cbor2'
import fc from 'fast-check'
import {
  endRecord,
  columnFromBytes,
  decodeCbor,
  decodeRecord,
  encodeCbor,
  encodeRecord,
  FormatError,
  LIMITS,
  narrow,
  RecordReader,
  validateRecord,
  type AnyRecord,
} from '@lapsus/core/format'
import { arbitraryFrames, bytesOf, chunkRecord, declareRecord, node, takeRecord } from './support/takes.ts'

const sample = (): AnyRecord[] => [
  takeRecord(),
  declareRecord(1, [
    { name: 'sim' },
    { name: 'Ünïcode 名前', group: 'g' },
    { name: 'wait', kind: 'wait:refresh' },
  ]),
  {
    ...chunkRecord(2, [{ lanes: [[node(0, 500, [node(1, 200)]), node(2, 9_000_000)]], restNs: 40 }]),
    gauges: [{ gauge: 0, frame: Uint32Array.of(0), value: Float64Array.of(12.5) }],
    moments: [{ name: 'bell', atNs: 100, data: { shift: 3, late: false, who: 'Ada' } }],
    dropped: 2,
    repaired: 1,
  },
  chunkRecord(3, [{ lanes: [[node(0, 4)]], restNs: 5_000_000_000 }], 20_000_000),
  endRecord(4, 0),
]

function readAll(bytes: Uint8Array, pieceBytes = bytes.length) {
  const reader = new RecordReader()
  const records: AnyRecord[] = []
  let error: FormatError | null = null
  try {
    for (let at = 0; at < bytes.length; at += pieceBytes) {
      reader.push(bytes.subarray(at, at + pieceBytes), (record) => records.push(record))
    }
  } catch (caught) {
    error = caught as FormatError
  }
  return { records, reader, error }
}

const refusal = (work: () => unknown): FormatError => {
  try {
    work()
  } catch (error) {
    if (error instanceof FormatError) return error
    throw error
  }
  throw new Error('nothing was refused')
}

describe('take format', () => {
  it('comes back as it was written', () => {
    const { records, reader } = readAll(bytesOf(sample()))
    expect(records).to.deep.equal(sample())
    expect(reader.ended).to.equal(true)
  })

  it('comes back from any frames, in pieces of any size', () => {
    fc.assert(
      fc.property(arbitraryFrames(3), fc.integer({ min: 1, max: 300 }), (frames, pieceBytes) => {
        const records = [
          takeRecord(),
          declareRecord(1, [{ name: 'a' }, { name: 'b' }, { name: 'c' }]),
          chunkRecord(2, frames),
        ]
        expect(readAll(bytesOf(records), pieceBytes).records).to.deep.equal(records)
      }),
    )
  })

  it('is readable up to the last whole record when cut at any byte', () => {
    const pieces = sample().map(encodeRecord)
    const bytes = Buffer.concat(pieces)
    const ends = pieces.map((_, i) => pieces.slice(0, i + 1).reduce((sum, piece) => sum + piece.length, 0))
    for (let cut = 0; cut <= bytes.length; cut++) {
      const { records, reader, error } = readAll(bytes.subarray(0, cut))
      expect(error, `cut at ${cut}`).to.equal(null)
      const whole = ends.filter((end) => end <= cut).length
      expect(records.length, `cut at ${cut}`).to.equal(whole)
      expect(reader.pendingBytes).to.equal(cut - (ends[whole - 1] ?? 0))
    }
  })

  it('starts with the CBOR magic number and is plain CBOR to another library', () => {
    const [take, , chunk] = sample().map(encodeRecord)
    expect([...take!.subarray(0, 3)]).to.deep.equal([0xd9, 0xd9, 0xf7])
    const fields = otherDecode(chunk!) as Record<string, never>
    expect(fields['record']).to.equal('chunk')
    expect(fields['frames']!['start']).to.deep.equal(Float64Array.of(0))
    expect(fields['lanes']![0]!['marker']).to.deep.equal(Uint8Array.of(0, 1, 2))
  })

  it('reads what another library writes', () => {
    const chunk = otherEncode({
      record: 'chunk',
      sequence: 1,
      frames: { start: [0, 10], duration: new Uint16Array([10, 12]) },
      lanes: [{ lane: 0, count: [1, 0], marker: [0], start: [1], duration: [5], depth: [0] }],
    })
    const record = decodeRecord(chunk, { record: 1, offset: 0 })
    expect(record).to.include({ record: 'chunk', sequence: 1, dropped: 0 })
    expect((record as { frameDurationNs: Float64Array }).frameDurationNs).to.deep.equal(
      Float64Array.of(10, 12),
    )
  })

  it('takes memory that is a column’s alone as it is, and copies a part of a larger piece', () => {
    const alone = Uint8Array.from({ length: 16 }, (_, i) => i)
    expect(columnFromBytes(70, alone).buffer).to.equal(alone.buffer)
    const part = Buffer.from(alone.buffer).subarray(3, 11)
    const column = columnFromBytes(70, part)
    expect(column.buffer).not.to.equal(alone.buffer)
    expect([...column]).to.deep.equal([0x06050403, 0x0a090807])
  })

  it('reads every RFC 8746 element type it names, in both byte orders', () => {
    const view = new DataView(new ArrayBuffer(8))
    const bytes = (write: () => void, size: number) => {
      write()
      return new Uint8Array(view.buffer.slice(0, size))
    }
    expect([...columnFromBytes(64, Uint8Array.of(200))]).to.deep.equal([200])
    expect([...columnFromBytes(72, Uint8Array.of(200))]).to.deep.equal([-56])
    for (const little of [false, true]) {
      const order = little ? 4 : 0
      expect([
        ...columnFromBytes(
          65 + order,
          bytes(() => view.setUint16(0, 65_000, little), 2),
        ),
      ]).to.deep.equal([65_000])
      expect([
        ...columnFromBytes(
          66 + order,
          bytes(() => view.setUint32(0, 4e9, little), 4),
        ),
      ]).to.deep.equal([4e9])
      expect([
        ...columnFromBytes(
          67 + order,
          bytes(() => view.setBigUint64(0, 2n ** 53n, little), 8),
        ),
      ]).to.deep.equal([2 ** 53])
      expect([
        ...columnFromBytes(
          73 + order,
          bytes(() => view.setInt16(0, -3, little), 2),
        ),
      ]).to.deep.equal([-3])
      expect([
        ...columnFromBytes(
          74 + order,
          bytes(() => view.setInt32(0, -4e8, little), 4),
        ),
      ]).to.deep.equal([-4e8])
      expect([
        ...columnFromBytes(
          75 + order,
          bytes(() => view.setBigInt64(0, -5n, little), 8),
        ),
      ]).to.deep.equal([-5])
      expect([
        ...columnFromBytes(
          81 + order,
          bytes(() => view.setFloat32(0, 0.5, little), 4),
        ),
      ]).to.deep.equal([0.5])
      expect([
        ...columnFromBytes(
          82 + order,
          bytes(() => view.setFloat64(0, 0.1, little), 8),
        ),
      ]).to.deep.equal([0.1])
    }
    expect(() => columnFromBytes(70, new Uint8Array(6))).to.throw('no whole number of 4-byte elements')
  })

  it('keeps whole numbers in the narrowest column', () => {
    expect(narrow([0, 255])).to.be.instanceOf(Uint8Array)
    expect(narrow([256])).to.be.instanceOf(Uint16Array)
    expect(narrow([65_536])).to.be.instanceOf(Uint32Array)
    expect(narrow([2 ** 32])).to.deep.equal(Float64Array.of(2 ** 32))
  })
})

describe('docs/format.md', () => {
  const page = readFileSync(new URL('../../../docs/format.md', import.meta.url), 'utf8')

  it('gives an example that reads as a whole take', () => {
    const [, example] = /diagnostic notation:\n\n((?: {4}.*\n)+)/.exec(page)!
    const items = example!
      .split(/\n(?= {4}\S)/)
      .map((item) => JSON.parse(item.trim().replace(/^55799\((.*)\)$/s, '$1')) as object)
    const { records, reader } = readAll(Buffer.concat(items.map((item) => otherEncode(item))))
    expect(records.map(({ record }) => record)).to.deep.equal(['take', 'declare', 'chunk', 'end'])
    expect(reader.ended).to.equal(true)
  })

  it('names every limit', () => {
    for (const [name, limit] of Object.entries(LIMITS))
      expect(page.includes(limit.toLocaleString('en')) || page.includes(` ${limit} `), name).to.equal(true)
  })
})

describe('bad takes', () => {
  it('names record, byte offset and what was expected, and keeps what came before', () => {
    const pieces = sample().map(encodeRecord)
    const broken = encodeCbor({ record: 'chunk', sequence: 3, frames: { start: [5, NaN], duration: [1, 1] } })
    const { records, error } = readAll(Buffer.concat([pieces[0]!, pieces[1]!, pieces[2]!, broken]))
    expect(records).to.deep.equal(sample().slice(0, 3))
    const offset = pieces.slice(0, 3).reduce((sum, piece) => sum + piece.length, 0)
    expect(error?.place).to.deep.equal({ record: 3, offset })
    expect(error?.message).to.equal(
      `record 3 at byte ${offset}: expected "start[1]" to be a finite number from 0 to 9007199254740991, got NaN`,
    )
  })

  it('refuses what is no take at all', () => {
    expect(readAll(Buffer.from('PNG is not this')).error?.place).to.deep.equal({ record: 0, offset: 0 })
    expect(readAll(encodeCbor({ hello: 1 })).error?.code).to.equal('not-a-take')
    expect(readAll(encodeRecord(declareRecord(1, [{ name: 'a' }]))).error?.code).to.equal('not-a-take')
    const future = encodeCbor({ ...takeRecord(), lapsus: 2 })
    expect(readAll(future).error?.message).to.contain('expected format version 1: "lapsus" is 2')
  })

  it('refuses records out of order, twice, or after the end', () => {
    const [take, declare, chunk, , end] = sample().map(encodeRecord)
    expect(readAll(Buffer.concat([take!, chunk!])).error?.code).to.equal('out-of-sequence')
    expect(readAll(Buffer.concat([take!, declare!, declare!])).error?.code).to.equal('out-of-sequence')
    expect(readAll(Buffer.concat([take!, take!])).error?.code).to.equal('not-a-take')
    const early = encodeCbor({ record: 'end', sequence: 1 })
    expect(readAll(Buffer.concat([take!, early, end!])).error?.code).to.equal('after-end')
  })

  it('reads takes that follow one another, each numbered anew', () => {
    const one = sample()
    const other = [takeRecord({ take: 'test-take-2' }), endRecord(1)]
    const { records, error } = readAll(Buffer.concat([...one, ...other].map(encodeRecord)))
    expect(error).to.equal(null)
    expect(records.map(({ record }) => record)).to.deep.equal([...one, ...other].map(({ record }) => record))
    // A take that has not ended is not followed by another.
    const unended = readAll(Buffer.concat([...one.slice(0, -1), ...other].map(encodeRecord)))
    expect(unended.error?.code).to.equal('not-a-take')
    expect(unended.records).to.have.length(one.length - 1)
  })

  it('refuses absurd lengths before waiting for them', () => {
    const take = encodeRecord(takeRecord())
    const hugeText = Uint8Array.of(0x7b, 0x7f, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff)
    expect(readAll(Buffer.concat([take, hugeText])).error?.code).to.equal('too-large')
    const deep = new Uint8Array(10_000).fill(0x81)
    expect(readAll(Buffer.concat([take, deep])).error?.message).to.contain(`deeper than ${LIMITS.itemDepth}`)
    expect(readAll(Buffer.concat([take, Uint8Array.of(0x9f)])).error?.message).to.contain('indefinite length')
  })

  it('checks the columns of a chunk against each other', () => {
    const good = {
      record: 'chunk',
      sequence: 1,
      frames: { start: [0, 10], duration: [10, 10] },
      lanes: [
        {
          lane: 0,
          count: [2, 1],
          marker: [0, 1, 0],
          start: [1, 2, 11],
          duration: [5, 1, 5],
          depth: [0, 1, 0],
        },
      ],
    }
    expect(validateRecord(good)).to.include({ record: 'chunk' })
    const lane = (change: object) => ({ ...good, lanes: [{ ...good.lanes[0], ...change }] })
    const message = (value: unknown) => refusal(() => validateRecord(value)).reason
    expect(message(lane({ depth: [0, 2, 0] }))).to.contain('"depth[1]" to be at most 1')
    expect(message(lane({ depth: Uint8Array.of(0, 2, 0) }))).to.contain('"depth[1]" to be at most 1')
    expect(message(lane({ depth: [0, 256, 0] }))).to.contain('"depth[1]" to be a whole number from 0 to 255')
    expect(message(lane({ depth: Uint8Array.of(0, 1) }))).to.contain('"depth" to have 3 elements, got 2')
    expect(message(lane({ depth: [0, 1, 1] }))).to.contain('"depth[2]" to be at most 0')
    expect(message(lane({ start: [1, 2] }))).to.contain('"start" to have 3 elements, got 2')
    expect(message(lane({ duration: [5, -1, 5] }))).to.contain(
      '"duration[1]" to be a finite number from 0 to 9007199254740991, got -1',
    )
    expect(message(lane({ marker: [0, 1.5, 0] }))).to.contain('"marker[1]"')
    expect(message(lane({ count: 'two' }))).to.contain(
      '"count" to be a typed array or an array of numbers, got "two"',
    )
    expect(message({ ...good, lanes: [good.lanes[0], good.lanes[0]] })).to.contain('each lane once')
    expect(message({ ...good, frames: { start: [10, 0], duration: [1, 1] } })).to.contain(
      '"start[1]" to be no earlier',
    )
    expect(message({ ...good, lanes: [{ ...good.lanes[0], count: [0xffff_ffff, 1] }] })).to.contain(
      '"count[0]"',
    )
    expect(
      message({ record: 'declare', sequence: 1, markers: [{ id: 0, name: 'x'.repeat(201) }] }),
    ).to.contain('"name"')
    expect(message({ record: 'banana' })).to.contain('"banana"')
  })

  it('never does worse than a FormatError, whatever the bytes', () => {
    const bytes = bytesOf(sample())
    const edits = fc.array(fc.tuple(fc.nat(bytes.length - 1), fc.nat(255)), { minLength: 1, maxLength: 8 })
    fc.assert(
      fc.property(edits, (changes) => {
        const mutated = Uint8Array.from(bytes)
        for (const [at, byte] of changes) mutated[at] = byte
        const { error } = readAll(mutated)
        expect(error === null || error instanceof FormatError).to.equal(true)
      }),
      { numRuns: 500 },
    )
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 200 }), (noise) => {
        try {
          decodeCbor(noise)
        } catch (error) {
          expect(error).to.be.instanceOf(FormatError)
        }
      }),
    )
  })
})
