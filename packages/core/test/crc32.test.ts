/** The chain of a take's records, against gzip's own CRC and by its definition. */
import { expect } from 'chai'
import fc from 'fast-check'
import { gzipSync } from 'node:zlib'
import { chained, crc32 } from '@lapsus/core/format'

describe('CRC-32', () => {
  it('is the one that gzip writes behind what it packs', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 300 }), (bytes) => {
        const packed = gzipSync(bytes)
        expect(crc32(bytes)).to.equal(packed.readUInt32LE(packed.length - 8))
      }),
    )
    // The check value of the catalogue of CRCs.
    expect(crc32(Buffer.from('123456789'))).to.equal(0xcbf43926)
  })

  it('goes on from what stands before', () => {
    fc.assert(
      fc.property(fc.uint8Array(), fc.uint8Array(), (one, other) => {
        expect(crc32(other, crc32(one))).to.equal(crc32(Buffer.concat([one, other])))
      }),
    )
  })

  it('chains records: four bytes of the chain before, the first the highest, then the record', () => {
    fc.assert(
      fc.property(fc.array(fc.uint8Array(), { minLength: 1 }), (records) => {
        let chain = 0
        for (const record of records) {
          const head = Buffer.alloc(4)
          head.writeUInt32BE(chain)
          const whole = gzipSync(Buffer.concat([head, record]))
          chain = chained(chain, record)
          expect(chain).to.equal(whole.readUInt32LE(whole.length - 8))
        }
      }),
    )
  })

  it('tells a changed byte, a lost record and a doubled one', () => {
    const [a, b] = [Buffer.from('a record'), Buffer.from('another')]
    const both = chained(chained(0, a), b)
    expect(chained(chained(0, a), Buffer.from('anothes'))).not.to.equal(both)
    expect(chained(0, b)).not.to.equal(both)
    expect(chained(chained(chained(0, a), a), b)).not.to.equal(both)
    expect(chained(chained(0, b), a)).not.to.equal(both)
  })
})
