/** Figures in words. */
import { expect } from 'chai'
import fc from 'fast-check'
import { amount, bytes, count, dateTime, ms, NONE, three, waitWords } from '@lapsus/core/words'

describe('how long somebody must wait', () => {
  it('is rounded up, in the unit that one would say it in', () => {
    expect([0.2, 1, 119.5, 120].map(waitWords)).to.deep.equal([
      '1 second',
      '1 second',
      '120 seconds',
      '120 seconds',
    ])
    expect([121, 7_140, 7_200].map(waitWords)).to.deep.equal(['3 minutes', '119 minutes', '120 minutes'])
    expect([7_201, 84_002, 4e7].map(waitWords)).to.deep.equal(['3 hours', '24 hours', '11,112 hours'])
  })
})

describe('a number of things', () => {
  it('has its thousands apart, as the standard library writes them', () => {
    const theirs = new Intl.NumberFormat('en')
    const written = (value: number) => theirs.format(value).replace('-', '−')
    fc.assert(
      fc.property(fc.maxSafeInteger(), (value) => {
        expect(count(value)).to.equal(written(value))
      }),
    )
    for (const value of [0.25, 1234.5, 999_999.125, -1234.5]) expect(count(value)).to.equal(written(value))
    expect(count(-0)).to.equal('0')
    expect([NaN, Infinity].map(count)).to.deep.equal([NONE, NONE])
  })
})

describe('a figure below nothing', () => {
  it('has a minus sign, not a hyphen, whatever it is a figure of', () => {
    expect([three(-6.02), three(-1234), three(-0.01234)]).to.deep.equal(['−6.02', '−1,234', '−0.0123'])
    expect([amount(-12), amount(-0.5), ms(-1.5)]).to.deep.equal(['−12', '−0.500', '−1.50 ms'])
    expect([bytes(-5), bytes(-5_000), bytes(-5e6)]).to.deep.equal(['−5 B', '−5.00 kB', '−5.00 MB'])
  })
})

describe('day and time', () => {
  it('are written as the standard library does for British readers', () => {
    const theirs = new Intl.DateTimeFormat('en-GB', {
      ...{ day: 'numeric', month: 'short', year: 'numeric', hour: '2-digit', minute: '2-digit' },
    } as Intl.DateTimeFormatOptions)
    const anyDay = fc.date({ min: new Date('1971-01-01'), max: new Date('2199-12-31'), noInvalidDate: true })
    fc.assert(
      fc.property(anyDay, (day) => {
        expect(dateTime(day.toISOString())).to.equal(theirs.format(day))
      }),
    )
    expect(dateTime('yesterday')).to.equal(NONE)
  })
})
