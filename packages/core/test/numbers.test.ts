/** Figures in words. */
import { expect } from 'chai'
import fc from 'fast-check'
import { count, dateTime, NONE, waitWords } from '@lapsus/core/words'

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
    fc.assert(
      fc.property(fc.maxSafeInteger(), (value) => {
        expect(count(value)).to.equal(theirs.format(value))
      }),
    )
    for (const value of [0.25, 1234.5, 999_999.125, -1234.5])
      expect(count(value)).to.equal(theirs.format(value))
    expect(count(-0)).to.equal('0')
    expect([NaN, Infinity].map(count)).to.deep.equal([NONE, NONE])
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
