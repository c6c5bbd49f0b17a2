/** Columns go by their tables: what this version does not know is kept and handed on, wherever frames go. */
import { expect } from 'chai'
import {
  COLUMN_WORDS,
  decodeRecord,
  emptyChunk,
  encodeRecord,
  entriesOf,
  FRAME_COLUMNS,
  JOB_COLUMNS,
  LIMITS,
  newColumns,
  SAMPLE_NAMES,
  SAMPLES,
  SPAN_DETAILS,
  validateRecord,
  type ChunkRecord,
  type Table,
} from '@lapsus/core/format'
import { jsonLine, JsonLinesSource } from '@lapsus/core/exchange'
import { buildStudy, partOfStudy } from '@lapsus/core/study'
import { coursesOf } from '@lapsus/core/rollup'
import {
  concatFrames,
  cutFrames,
  decodeFrames,
  decodeSamples,
  Digester,
  emptyFrames,
  encodeFrames,
  encodeSamples,
  excerpt,
} from '@lapsus/core/take'
import { bytesOf, declareRecord, takeRecord } from './support/takes.ts'

const frames = (more: object) => ({
  ...{ record: 'chunk', sequence: 2 },
  frames: { start: [0, 10, 20], duration: [5, 5, 5], ...more },
})
const chunk = (more: object) => validateRecord(frames(more)) as ChunkRecord
const LATER = Float64Array.of(1.5, -2, 3e9)
const again = (record: ChunkRecord) =>
  decodeRecord(encodeRecord(record), { record: 1, offset: 0 }) as ChunkRecord

describe('columns', () => {
  it('have words, each of them, and no words are about none', () => {
    const names = (where: string, table: Table) => Object.values(table).map(({ wire }) => `${where}.${wire}`)
    const all = [
      ...names('frames', FRAME_COLUMNS),
      ...names('lanes[]', SPAN_DETAILS),
      ...SAMPLE_NAMES.flatMap((name) => names(`${name}[]`, SAMPLES[name].columns)),
      ...names('jobs', JOB_COLUMNS),
    ]
    expect(Object.keys(COLUMN_WORDS)).to.have.members(all)
  })
})

describe('a column of frames that is not known here', () => {
  const known = chunk({ heat: LATER, 'night watch': [7, 8, 9] })

  it('is kept as it came, from any width, also through the take file', () => {
    expect(known.otherFrameColumns).to.deep.equal({ heat: LATER, 'night watch': Float64Array.of(7, 8, 9) })
    expect(chunk({ heat: Uint16Array.of(1, 2, 3) }).otherFrameColumns['heat']).to.deep.equal(
      Float64Array.of(1, 2, 3),
    )
    expect(again(known).otherFrameColumns).to.deep.equal(known.otherFrameColumns)
  })

  it('survives JSON lines', () => {
    const source = new JsonLinesSource()
    const read: ChunkRecord[] = []
    const lines = [takeRecord(), declareRecord(1, []), known].map(jsonLine).join('')
    source.push(new TextEncoder().encode(lines), (record) => {
      if (record.record === 'chunk') read.push(record)
    })
    expect(read[0]!.otherFrameColumns).to.deep.equal(known.otherFrameColumns)
  })

  it('survives storage, an excerpt, joining and a part of a study', () => {
    const digest = (record: ChunkRecord) => {
      const digester = new Digester()
      return { digester, chunk: digester.digest(record) }
    }
    const { digester, chunk: digested } = digest(known)
    const stored = decodeFrames(encodeFrames(digested.frames))
    expect(stored.other).to.deep.equal(known.otherFrameColumns)
    expect(excerpt(known, 1, 3, 0).otherFrameColumns['heat']).to.deep.equal(LATER.slice(1))
    expect(cutFrames(stored, 0, 2).other['heat']).to.deep.equal(LATER.slice(0, 2))
    // Of a part without it nobody knows.
    const joined = concatFrames([emptyFrames(1), stored])
    expect([...joined.other['heat']!]).to.deep.equal([NaN, ...LATER])
    const study = buildStudy({ conditions: {}, target: 60, ...digester.progress }, [
      {
        frames: stored,
        courses: coursesOf(digested, digester.progress.paths),
        samples: digested.samples,
        moments: [],
        beginsStretch: false,
        dropped: 0,
      },
    ])
    expect(partOfStudy(study, 1, 2).frames.other['heat']).to.deep.equal(LATER.slice(1, 2))
  })

  it('is passed over where it is no column of the frames', () => {
    for (const odd of [[1, 2], 'abc', { a: 1 }, [1, 'x', 3], null])
      expect(chunk({ odd }).otherFrameColumns).to.deep.equal({})
    expect(() => chunk({ odd: [1, NaN, 3] })).to.throw('odd[1]')
  })

  it('comes in no larger number than the format allows', () => {
    const many = (count: number) =>
      Object.fromEntries(Array.from({ length: count }, (_, i) => [`c${i}`, [1, 2, 3]]))
    expect(Object.keys(chunk(many(LIMITS.otherColumns)).otherFrameColumns)).to.have.length(
      LIMITS.otherColumns,
    )
    expect(() => chunk(many(LIMITS.otherColumns + 1))).to.throw(`at most ${LIMITS.otherColumns}`)
  })
})

/** Some values that a column may hold, the least and the most among them. */
function valuesOf({ holds, least, most }: Table[string]): number[] {
  const largest = holds === 'whole' || holds === 'byte' ? most : LIMITS.largestWhole
  return holds === 'number' ? [-1.5, 0, 1e300] : [least, Math.min(3, largest), largest]
}

describe('every column of the tables', () => {
  it('comes through the take file and through storage as it was', () => {
    const chunkOf = (more: Partial<ChunkRecord>): ChunkRecord => ({
      ...emptyChunk(2),
      frameStartNs: Float64Array.of(0, 10, 20),
      frameDurationNs: Float64Array.of(5, 5, 5),
      ...newColumns(FRAME_COLUMNS, 3),
      ...more,
    })
    for (const [name, rule] of entriesOf(FRAME_COLUMNS)) {
      const values = Uint32Array.from(valuesOf(rule))
      const record = chunkOf({ [name]: values })
      expect([...again(record)[name]], name).to.deep.equal([...values])
      const { frames } = new Digester().digest(record)
      expect([...decodeFrames(encodeFrames(frames))[name]], name).to.deep.equal([...values])
    }
    for (const name of SAMPLE_NAMES) {
      const { key, columns } = SAMPLES[name]
      const frame = Uint32Array.of(0, 1, 2)
      const item = {
        [key]: 0,
        frame,
        ...Object.fromEntries(entriesOf(columns as Table).map(([column, rule]) => [column, valuesOf(rule)])),
      }
      const wire = validateRecord({
        ...frames({}),
        [name]: [
          {
            [key]: 0,
            frame,
            ...Object.fromEntries(entriesOf(columns as Table).map(([, rule]) => [rule.wire, valuesOf(rule)])),
          },
        ],
      }) as ChunkRecord
      const plain = (record: Pick<ChunkRecord, typeof name>) =>
        Object.fromEntries(
          Object.entries(record[name][0]!).map(([field, value]) => [
            field,
            typeof value === 'number' ? value : [...(value as Float64Array)],
          ]),
        )
      const expected = { ...item, frame: [0, 1, 2] }
      expect(plain(wire), name).to.deep.equal(expected)
      expect(plain(again(wire)), name).to.deep.equal(expected)
      expect(plain(decodeSamples(encodeSamples(wire))), name).to.deep.equal(expected)
    }
  })

  it('is refused just beyond its bounds, by name', () => {
    const lane = (wire: string, value: number) => () =>
      validateRecord({
        ...frames({}),
        lanes: [
          { lane: 0, count: [1, 0, 0], marker: [0], start: [0], duration: [1], depth: [0], [wire]: [value] },
        ],
      })
    for (const [, { wire, least, most, holds }] of entriesOf(SPAN_DETAILS)) {
      const largest = holds === 'amount' ? LIMITS.largestWhole : most
      const leftOut = (value: number) => lane(wire, value)().leftOut?.[0]?.why
      expect(leftOut(least), wire).to.equal(undefined)
      expect(leftOut(largest), wire).to.equal(undefined)
      expect(leftOut(least - 1), wire).to.contain(`${wire}[0]`)
      if (largest < LIMITS.largestWhole) expect(leftOut(largest + 1), wire).to.contain(`${wire}[0]`)
    }
    const job = { job: [1], event: [0], lane: [0], marker: [0], at: [0] }
    for (const [, { wire, most, holds }] of entriesOf(JOB_COLUMNS)) {
      const jobs = (value: number) => () =>
        validateRecord({ ...frames({}), jobs: { ...job, [wire]: [value] } })
      expect(jobs(-1), wire).to.throw(`${wire}[0]`)
      if (holds === 'amount') continue
      expect(jobs(most), wire).not.to.throw()
      expect(jobs(most + 1), wire).to.throw(`${wire}[0]`)
    }
  })
})

describe('a take with such a column', () => {
  it('is as large as its columns, not larger', () => {
    expect(bytesOf([chunk({})]).length).to.be.lessThan(bytesOf([chunk({ heat: LATER })]).length)
  })
})
