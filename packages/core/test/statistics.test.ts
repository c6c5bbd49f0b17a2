import { expect } from 'chai'
import fc from 'fast-check'
import {
  cumulativeStdNormalProbability,
  linearRegression,
  medianAbsoluteDeviation,
  sampleCorrelation,
} from 'simple-statistics'
import {
  aicc,
  correlation,
  falseDiscoveryRates,
  fisherExact,
  isMedianAtLeast,
  lowerBound,
  mannKendall,
  median,
  medianDeviation,
  normalTail,
  percentile,
  percentileInPlace,
  risingLine,
  runningSpread,
  theilSen,
} from '@lapsus/core/stats'

const values = (least = 1, most = 60) =>
  fc.array(fc.double({ min: 0, max: 1e6, noNaN: true }), { minLength: least, maxLength: most })

describe('robust statistics', () => {
  it('agree with a numeric library', () => {
    fc.assert(
      fc.property(values(), (list) => {
        expect(medianDeviation(list)).to.be.closeTo(medianAbsoluteDeviation(list), 1e-6)
      }),
    )
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ max: 1000 }), fc.integer({ max: 1000 })), {
          minLength: 3,
          maxLength: 50,
        }),
        (pairs) => {
          const [x, y] = [pairs.map(([a]) => a), pairs.map(([, b]) => b)]
          const theirs = sampleCorrelation(x, y)
          if (!Number.isNaN(theirs)) expect(correlation(x, y)).to.be.closeTo(theirs, 1e-9)
        },
      ),
    )
  })

  it('slide over a column as if each window were sorted anew', () => {
    fc.assert(
      fc.property(values(1, 80), fc.integer({ min: 0, max: 12 }), (list, reach) => {
        const column = Float64Array.from(list, Math.round)
        const spread = runningSpread(column, reach)
        const width = Math.min(2 * reach + 1, column.length)
        column.forEach((_, i) => {
          const from = Math.min(Math.max(i - reach, 0), column.length - width)
          const window = column.slice(from, from + width)
          expect(spread.median[i]).to.equal(median(window))
          expect(spread.deviation[i]).to.equal(medianDeviation(window))
        })
      }),
    )
  })

  it('select a percentile as sorting would give it', () => {
    fc.assert(
      fc.property(values(1, 80), fc.double({ min: 0, max: 1, noNaN: true }), (list, p) => {
        expect(percentileInPlace(Float64Array.from(list), p)).to.equal(percentile(list, p))
      }),
    )
    expect(percentileInPlace(new Float64Array(0), 0.5)).to.be.NaN
  })

  it('select from many values, in whatever order they come', () => {
    const orders: Record<string, (i: number, n: number) => number> = {
      rising: (i) => i,
      falling: (i) => -i,
      'rising and falling': (i, n) => Math.min(i, n - i),
      'falling and rising': (i, n) => Math.max(i, n - i),
      'a saw': (i) => i % 97,
      stairs: (i) => Math.floor(i / 300),
      'all the same': () => 7,
    }
    fc.assert(
      fc.property(
        fc.constantFrom(...Object.keys(orders)),
        fc.integer({ min: 1, max: 3_000 }),
        fc.constantFrom(0, 40),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (order, n, noise, p) => {
          const list = Float64Array.from(
            { length: n },
            (_, i) => orders[order]!(i, n) + ((i * 7_919) % 61) * noise,
          )
          const selected = list.slice()
          expect(percentileInPlace(selected, p)).to.equal(percentile(list, p))
          expect(selected.sort()).to.deep.equal(list.sort())
        },
      ),
    )
  })

  it('are not held up by a load that rises and falls again', () => {
    // Taking the value in the middle for the pivot would take this apart one by one: minutes.
    const n = 2_000_000
    const list = Float64Array.from({ length: n }, (_, i) => Math.min(i, n - 1 - i))
    expect(percentileInPlace(list, 0.5)).to.equal(n / 4 - 0.5)
  })

  it('give up on what is no number, and end', () => {
    expect(percentileInPlace(new Float64Array(2_000).fill(NaN), 0.5)).to.be.NaN
  })

  it('tell by counting whether a median is at least so much', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 4 }), { maxLength: 9 }),
        fc.integer({ max: 9 }),
        (list, half) => {
          expect(isMedianAtLeast(list, half / 2)).to.equal(median(list) >= half / 2)
        },
      ),
    )
  })

  it('keep stretches apart', () => {
    const column = Float64Array.from([1, 1, 1, 1, 9, 9, 9, 9])
    const spread = { median: new Float64Array(8), deviation: new Float64Array(8) }
    runningSpread(column, 2, 0, 4, spread)
    runningSpread(column, 2, 4, 8, spread)
    expect([...spread.median]).to.deep.equal([1, 1, 1, 1, 9, 9, 9, 9])
  })

  it('find the first place that is not below a value', () => {
    expect([0, 1, 2, 3, 9].map((value) => lowerBound([1, 3, 3, 5], value))).to.deep.equal([0, 0, 1, 1, 4])
  })
})

describe('chance', () => {
  it('of a normal variable agrees with tables and with a numeric library', () => {
    expect(normalTail(0)).to.be.closeTo(0.5, 1e-15)
    expect(normalTail(1.959963984540054)).to.be.closeTo(0.025, 1e-12)
    expect(normalTail(5) / 2.866515718791939e-7).to.be.closeTo(1, 1e-9)
    expect(normalTail(-1)).to.be.closeTo(0.8413447460685429, 1e-12)
    for (let z = -3; z <= 3; z += 0.25)
      expect(normalTail(z)).to.be.closeTo(1 - cumulativeStdNormalProbability(z), 1e-4)
  })

  it('of Fisher’s lady tasting tea is one in seventy', () => {
    expect(fisherExact(4, 4, 4, 8)).to.be.closeTo(1 / 70, 1e-12)
    expect(fisherExact(3, 4, 4, 8)).to.be.closeTo(17 / 70, 1e-12)
    expect(fisherExact(0, 4, 4, 8)).to.be.closeTo(1, 1e-12)
  })

  it('of any draw agrees with counting all draws', () => {
    fc.assert(
      fc.property(
        fc
          .integer({ min: 1, max: 12 })
          .chain((all) => fc.tuple(fc.constant(all), fc.nat(all), fc.nat(all), fc.nat(all))),
        ([all, drawn, marked, hits]) => {
          let draws = 0
          let good = 0
          for (let bits = 0; bits < 2 ** all; bits++) {
            const members = [...Array(all).keys()].filter((i) => (bits >> i) & 1)
            if (members.length !== drawn) continue
            draws++
            if (members.filter((i) => i < marked).length >= hits) good++
          }
          expect(fisherExact(hits, drawn, marked, all)).to.be.closeTo(good / draws, 1e-9)
        },
      ),
      { numRuns: 40 },
    )
  })

  it('is corrected for many questions as Benjamini and Hochberg worked out', () => {
    // Their example of 1995, the first of its 15 p-values.
    const p = [
      0.0001, 0.0004, 0.0019, 0.0095, 0.0201, 0.0278, 0.0298, 0.0344, 0.0459, 0.324, 0.4262, 0.5719, 0.6528,
      0.759, 1,
    ]
    const rates = falseDiscoveryRates(p)
    expect(rates.filter((rate) => rate <= 0.05)).to.have.length(4)
    expect(rates[0]).to.be.closeTo(0.0015, 1e-12)
    expect(rates.at(-1)).to.equal(1)
    const shuffled = falseDiscoveryRates([...p].reverse())
    expect([...shuffled].reverse()).to.deep.equal(rates)
  })
})

describe('trends', () => {
  it('have Theil and Sen’s slope, whatever a few wild values say', () => {
    const x = Array.from({ length: 30 }, (_, i) => i)
    const y = x.map((i) => 3 * i + 1)
    expect(theilSen(x, y)).to.be.closeTo(3, 1e-12)
    expect(
      theilSen(
        x,
        y.map((value, i) => (i % 5 === 0 ? 1e6 : value)),
      ),
    ).to.be.closeTo(3, 1e-9)
    expect(theilSen([1], [1])).to.equal(0)
  })

  it('are tested as Mann and Kendall do', () => {
    // All ten pairs of five rising values rise: s = 10, variance 50/3.
    const rising = mannKendall([1, 2, 3, 4, 5])
    expect(rising.s).to.equal(10)
    expect(rising.z).to.be.closeTo(9 / Math.sqrt(50 / 3), 1e-12)
    expect(rising.p).to.be.closeTo(2 * normalTail(rising.z), 1e-15)
    expect(mannKendall([3, 3, 3]).p).to.equal(1)
    expect(mannKendall([2, 1, 2, 1]).p).to.be.greaterThan(0.3)
    fc.assert(
      fc.property(values(2, 20), (list) => {
        expect(mannKendall(list).s).to.equal(-mannKendall([...list].reverse()).s)
      }),
    )
  })
})

describe('lines', () => {
  it('are those of least squares, as long as nothing is negative', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 100 }), fc.integer({ min: 0, max: 100 })), {
          minLength: 3,
          maxLength: 30,
        }),
        (points) => {
          const { m, b } = linearRegression(points)
          if (!(m >= 0 && b >= 0)) return
          const line = risingLine(
            points.map(([x]) => x),
            points.map(([, y]) => y),
          )
          expect(line.slope).to.be.closeTo(m, 1e-6)
          expect(line.base).to.be.closeTo(b, 1e-4)
        },
      ),
    )
  })

  it('never slope down and never begin below 0', () => {
    expect(risingLine([1, 2, 3], [9, 6, 3])).to.deep.include({ base: 6, slope: 0 })
    const steep = risingLine([1, 2, 3], [0, 3, 6])
    expect(steep.base).to.equal(0)
    expect(steep.slope).to.be.closeTo(24 / 14, 1e-12)
    expect(risingLine([5, 5], [1, 3])).to.deep.include({ base: 2, slope: 0 })
  })

  it('pay for their parameters', () => {
    // n ln(rss / n) + 2k + 2k(k + 1) / (n − k − 1), with the noise as one more parameter.
    expect(aicc(20, 10, 1)).to.be.closeTo(10 * Math.log(2) + 4 + 12 / 7, 1e-12)
    expect(aicc(20, 10, 2)).to.be.greaterThan(aicc(20, 10, 1))
    expect(aicc(1, 3, 2)).to.equal(Infinity)
  })
})
