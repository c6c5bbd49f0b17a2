import { expect } from 'chai'
import fc from 'fast-check'
import { quantileSorted } from 'simple-statistics'
import { bucketMiddle, bucketOf, BUCKETS, percentile, sketchPercentile } from '@lapsus/core/stats'

describe('percentiles', () => {
  it('follow Hyndman and Fan type 7 on a worked case', () => {
    const values = [15, 20, 35, 40, 50]
    expect(percentile(values, 0.4)).to.be.closeTo(29, 1e-12)
    expect(percentile(values, 0)).to.equal(15)
    expect(percentile(values, 1)).to.equal(50)
    expect(percentile([7], 0.99)).to.equal(7)
    expect(percentile([], 0.5)).to.be.NaN
  })

  it('agree with a numeric library where its method and type 7 coincide: on order statistics', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0, max: 1e6, noNaN: true }), { minLength: 2, maxLength: 60 }),
        (values) => {
          const sorted = [...values].sort((a, b) => a - b)
          expect(percentile(values, 0.5)).to.be.closeTo(quantileSorted(sorted, 0.5), 1e-6)
          for (const k of sorted.keys())
            expect(percentile(values, k / (values.length - 1))).to.be.closeTo(sorted[k]!, 1e-3)
        },
      ),
    )
  })
})

describe('sketch', () => {
  const anyWhole = fc.oneof(fc.nat(5000), fc.nat(50_000_000), fc.maxSafeNat())

  it('puts every value within a bucket whose middle is at most 0.1 % away', () => {
    fc.assert(
      fc.property(anyWhole, (value) => {
        const bucket = bucketOf(value)
        expect(bucket).to.be.within(0, BUCKETS - 1)
        expect(Math.abs(bucketMiddle(bucket) - value)).to.be.at.most(value / 1024)
      }),
      { numRuns: 2000 },
    )
  })

  it('keeps order: a larger value never lands in a lower bucket', () => {
    fc.assert(
      fc.property(anyWhole, anyWhole, (a, b) => {
        expect(bucketOf(Math.max(a, b))).to.be.at.least(bucketOf(Math.min(a, b)))
      }),
    )
    for (let power = 9; power < 52; power++) {
      const edge = 2 ** power
      expect(bucketOf(edge) - bucketOf(edge - 1)).to.be.within(0, 1)
      expect(bucketOf(edge + edge / 512) - bucketOf(edge)).to.equal(1)
    }
  })

  it('gives the same percentiles as all values together, within 0.1 %', () => {
    fc.assert(
      fc.property(
        fc.array(fc.nat(30_000_000), { maxLength: 80 }),
        fc.nat(40),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (values, zeros, p) => {
          const counts = new Map<number, number>()
          for (const value of values) counts.set(bucketOf(value), (counts.get(bucketOf(value)) ?? 0) + 1)
          const buckets = [...counts.keys()].sort((a, b) => a - b)
          const sketched = sketchPercentile(
            buckets,
            buckets.map((bucket) => counts.get(bucket)!),
            zeros,
            p,
          )
          const exact = percentile([...values, ...new Array<number>(zeros).fill(0)], p)
          if (Number.isNaN(exact)) expect(sketched).to.be.NaN
          else expect(Math.abs(sketched - exact)).to.be.at.most(exact * 0.001 + 1e-9)
        },
      ),
    )
  })
})
