/** One bad optional field never refuses a record: over the whole list, whatever stands there. */
import { expect } from 'chai'
import fc from 'fast-check'
import {
  decodeCbor,
  encodeRecord,
  leftOutNotes,
  leftOutProblems,
  OPTIONAL_FIELDS,
  validateRecord,
  type AnyRecord,
  type OptionalField,
} from '@lapsus/core/format'
import { chunkRecord, declareRecord, node, takeRecord } from './support/takes.ts'

type Wire = Record<string, never>

/** Each with every optional field, rightly filled. */
const RECORDS = (): Record<string, Record<string, unknown>> => {
  const wire = (record: AnyRecord) => decodeCbor(encodeRecord(record)) as Wire
  const chunk = wire(chunkRecord(2, [{ lanes: [[node(0, 1_000_000)]], restNs: 0 }]))
  return {
    take: {
      ...wire(takeRecord({ take: 'optional-take' })),
      conditions: {
        ...{
          version: '1',
          build: 'b',
          device: 'd',
          scene: 's',
          load: 'l',
          mode: 'timing',
          runtime: 'r',
          probe: 'p',
        },
        ...{ seed: 1, recorder: { spanNs: 1, clockReadNs: 1, clockResolutionNs: 1 }, more: { a: 1 } },
      },
    },
    declare: {
      ...wire(declareRecord(1, [{ name: 'a' }])),
      markers: [
        {
          id: 0,
          name: 'a',
          group: 'g',
          tags: ['t'],
          watches: [0],
          at: { file: 'f', line: 1, source: { from: 1, lines: [''] } },
        },
      ],
      gauges: [{ id: 0, name: 'g', unit: 'u', variants: ['a', 'b'] }],
      watches: [{ id: 0, name: 'w' }],
      classes: [{ id: 0, name: 'c', marker: 0 }],
    },
    chunk: {
      ...chunk,
      frames: { ...(chunk['frames'] as object), steps: [1], taken: [1] },
      lanes: [{ ...(chunk['lanes'] as object[])[0], effect: [1], bytes: [1], key: [1] }],
      moments: [{ name: 'm', at: 0, data: { a: 1 } }],
      pictures: [],
      problems: [{ what: 'w', count: 1 }],
    },
  }
}
const ofRecord = (field: string): string =>
  /^conditions/.test(field) ? 'take' : /^(markers|gauges|classes)/.test(field) ? 'declare' : 'chunk'

/** The record with something else at the field's place. */
function spoiled(field: OptionalField, value: unknown): Record<string, unknown> {
  const record = structuredClone(RECORDS()[ofRecord(field)]!)
  const parts = field.split('.')
  let holder = record
  for (const part of parts.slice(0, -1)) {
    const next = holder[part.replace('[]', '')]
    holder = (part.endsWith('[]') ? (next as unknown[])[0] : next) as Record<string, unknown>
  }
  holder[parts.at(-1)!] = value
  return record
}

/** What is right for none of the fields. */
const wrong = fc.oneof(
  fc.constantFrom<unknown>(
    true,
    -1,
    1.5,
    NaN,
    Infinity,
    'x'.repeat(20_000),
    { a: { b: 1 } },
    [{}],
    [null],
    [-7, -7],
    [''],
  ),
  fc.double({ max: -2, noNaN: true }),
)
const isRight = (record: AnyRecord): boolean => record.leftOut === undefined

describe('a record with a wrong field', () => {
  it('is right to begin with', () => {
    for (const record of Object.values(RECORDS())) expect(isRight(validateRecord(record))).to.equal(true)
  })

  for (const field of OPTIONAL_FIELDS) {
    it(`is taken without "${field}", which is counted`, () => {
      let left = 0
      fc.assert(
        fc.property(wrong, (value) => {
          const record = validateRecord(spoiled(field, value))
          const good = validateRecord(RECORDS()[ofRecord(field)]!)
          if (record.leftOut === undefined) return
          left++
          expect(record.leftOut.every((one) => one.field === field || one.field.startsWith(field))).to.equal(
            true,
          )
          expect(leftOutProblems(record.leftOut)[0]!.count).to.be.greaterThan(0)
          expect(leftOutNotes(record.leftOut)[0]).to.contain(
            `"${record.leftOut[0]!.field}" was left out, expected`,
          )
          // Nothing else is touched.
          const top = field.split(/[.[]/)[0]!
          const others = ({ leftOut: _, conditions: _c, ...rest }: Record<string, unknown>) =>
            Object.fromEntries(
              Object.entries(rest).filter(
                ([name]) => ![top, 'steps', 'takenNs', 'lanes', 'problems'].includes(name),
              ),
            )
          expect(others(record as never)).to.deep.equal(others(good as never))
        }),
      )
      expect(left, 'values that are left out').to.be.greaterThan(5)
    })
  }

  it('is refused where others are read by the field, as before', () => {
    const { chunk, declare, take } = RECORDS()
    const lane = (chunk!['lanes'] as object[])[0]!
    for (const [bad, words] of [
      [{ ...chunk, lanes: [{ ...lane, depth: [] }] }, '"depth" to have 1 elements'],
      [{ ...chunk, lanes: [{ ...lane, count: [1, 1] }] }, '"count" to have 1 elements'],
      [
        { ...chunk, frames: { ...(chunk!['frames'] as object), duration: [] } },
        '"duration" to have 1 elements',
      ],
      [{ ...chunk, moments: [{ name: '', at: 0 }] }, '"name" to be a text'],
      [{ ...declare, markers: [{ id: 0, name: '' }] }, '"name" to be a text'],
      [{ ...declare, markers: [{ id: 0, name: 'a', kind: 'no' }] }, '"kind" to be one of'],
      [{ ...take, target: 0 }, '"target"'],
      [{ ...take, writer: '?' }, '"writer"'],
    ] as const)
      expect(() => validateRecord(bad)).to.throw(words)
  })

  it('is written again without a word of what was left out', () => {
    const record = validateRecord(spoiled('conditions.seed', 'x'))
    expect(record.leftOut).to.have.length(1)
    expect(decodeCbor(encodeRecord(record))).not.to.have.property('leftOut')
  })
})
