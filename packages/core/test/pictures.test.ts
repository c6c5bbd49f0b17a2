/** Small pictures in a take: told by their bytes, bounded, handed on. */
import { expect } from 'chai'
import fc from 'fast-check'
import { jsonLine } from '@lapsus/core/exchange'
import { LIMITS, pictureHead, validateRecord, wireRecord, type ChunkRecord } from '@lapsus/core/format'
import { excerpt } from '@lapsus/core/take'
import { jpeg, png, webpExtended, webpLossless, webpLossy } from './support/pictures.ts'
import { chunkRecord, node } from './support/takes.ts'

const MS = 1e6
const KINDS = {
  png: [png, 'image/png'],
  jpeg: [jpeg, 'image/jpeg'],
  'lossy webp': [webpLossy, 'image/webp'],
  'lossless webp': [webpLossless, 'image/webp'],
  'extended webp': [webpExtended, 'image/webp'],
} as const

const chunk = (pictures: ChunkRecord['pictures']): ChunkRecord => ({
  ...chunkRecord(
    2,
    Array.from({ length: 4 }, () => ({ lanes: [[node(0, 10 * MS)]], restNs: 0 })),
  ),
  pictures,
})

describe('a picture', () => {
  for (const [kind, [make, type]] of Object.entries(KINDS)) {
    it(`that is ${kind} is told by its bytes`, () => {
      fc.assert(
        fc.property(
          fc.integer({ min: 1, max: 0x3fff }),
          fc.integer({ min: 1, max: 0x3fff }),
          (width, height) => {
            expect(pictureHead(make(width, height))).to.deep.equal({ type, width, height })
          },
        ),
      )
      // Whatever is missing at its end.
      const whole = make(320, 180)
      for (let length = 0; length < whole.length; length++) {
        const head = pictureHead(whole.subarray(0, length))
        if (head !== null) expect(head).to.deep.equal({ type, width: 320, height: 180 })
      }
    })
  }

  it('that is anything else is none', () => {
    fc.assert(fc.property(fc.uint8Array({ maxLength: 64 }), (bytes) => void pictureHead(bytes)))
    for (const text of [
      '',
      'GIF89a          ',
      '<svg xmlns="http://www.w3.org/2000/svg"/>',
      'RIFF    WAVEfmt ',
    ])
      expect(pictureHead(new TextEncoder().encode(text)), text).to.equal(null)
    expect(pictureHead(Uint8Array.of(0xff, 0xd8, 0xff, 0xda, 0, 2, 0, 0, 0, 0))).to.equal(null)
  })

  it('is read back as it was written, as CBOR and as JSON', () => {
    const record = chunk([
      { atNs: 5 * MS, bytes: png(320, 180) },
      { atNs: 15 * MS, bytes: webpLossy(16, 9) },
    ])
    const { pictures } = validateRecord(JSON.parse(jsonLine(record))) as ChunkRecord
    expect(pictures).to.deep.equal(record.pictures)
    expect((validateRecord(wireRecord(record)) as ChunkRecord).pictures).to.deep.equal(record.pictures)
  })

  it('is as large as a take can hold, and left out beyond it', () => {
    const leftOut = (picture: object | object[]) =>
      validateRecord({
        ...(wireRecord(chunk([])) as object),
        pictures: Array.isArray(picture) ? picture : [picture],
      }).leftOut?.[0]?.why
    const largest = png(LIMITS.pictureWidth, LIMITS.pictureHeight, LIMITS.pictureBytes - png(1, 1).length)
    expect(largest.length).to.equal(LIMITS.pictureBytes)
    expect(leftOut({ at: 0, bytes: largest })).to.equal(undefined)
    const good = { at: 0, bytes: png(1, 1) }
    expect(leftOut(Array<object>(LIMITS.chunkPictures).fill(good))).to.equal(undefined)
    const wrong: [object | object[], string][] = [
      [{ at: 0, bytes: png(LIMITS.pictureWidth + 1, 1) }, '"bytes"'],
      [{ at: 0, bytes: png(320, LIMITS.pictureHeight + 1) }, '"bytes"'],
      [{ at: 0, bytes: png(320, 2 ** 31) }, '"bytes"'],
      [{ at: 0, bytes: Uint8Array.from([...largest, 0]) }, '"bytes"'],
      [{ at: 0, bytes: new TextEncoder().encode('<html>') }, '"bytes"'],
      [{ at: 0, bytes: 'AAAA' }, '"bytes"'],
      [{ at: 0, bytes: [256] }, '"bytes[0]"'],
      [{ at: -1, bytes: png(1, 1) }, '"at"'],
      [{ bytes: png(1, 1) }, '"at"'],
      [Array<object>(LIMITS.chunkPictures + 1).fill(good), '"pictures"'],
    ]
    for (const [picture, field] of wrong) expect(leftOut(picture), field).to.contain(field)
  })

  it('stays with its frames in an excerpt', () => {
    const record = chunk([5, 15, 25, 35].map((ms) => ({ atNs: ms * MS, bytes: png(1, 1) })))
    const { pictures } = excerpt(record, 1, 3, 10 * MS)
    expect(pictures.map(({ atNs }) => atNs / MS)).to.deep.equal([5, 15])
  })
})
