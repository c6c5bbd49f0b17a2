/** Figures in words. */
import { expect } from 'chai'
import { waitWords } from '@lapsus/core/words'

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
