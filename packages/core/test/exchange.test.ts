/** Takes in other formats: in, out, and what is done with what is wrong. */
import { expect } from 'chai'
import fc from 'fast-check'
import { csvRow, exporter, jsonLine } from '@lapsus/core/exchange'
import { emptyChunk, FormatError, type AnyRecord, type ChunkRecord } from '@lapsus/core/format'
import { JsonReader } from '../src/exchange/json-reader.ts'
import { arbitraryFrames, bytesOf, chunkRecord, declareRecord, node, takeRecord } from './support/takes.ts'
import { richTake } from './support/rich-take.ts'
import { chunksOf, MS, names, read, utf8 } from './support/foreign.ts'

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
      // Just between two doubles, and a little off.
      fc.nat().map((odd) => `${2n ** 53n + 2n * BigInt(odd) + 1n}`),
      fc.nat().map((odd) => `${2n ** 53n + 2n * BigInt(odd) + 1n}.00000001`),
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
      { numRuns: 3_000 },
    )
    expect(read).to.be.greaterThan(2_000)
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
