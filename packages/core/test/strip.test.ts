/** What the strip shows, held against the frames themselves. */
import { expect } from 'chai'
import fc from 'fast-check'
import { nextOver, stripColumns, worstFrame } from '@lapsus/core/take'
import { run, studyFrom } from './support/studies.ts'

const MS = 1_000_000

describe('strip', () => {
  const { frames } = studyFrom(
    Array.from({ length: 300 }, (_, i) => ({ runs: [run('sim', (i % 97 === 5 ? 40 : 5 + (i % 3)) * MS)] })),
  )

  it('folds frames into columns that keep every worst frame and the median', () => {
    fc.assert(
      fc.property(fc.nat(299), fc.nat(300), fc.integer({ min: 1, max: 400 }), (a, b, width) => {
        const [from, to] = [Math.min(a, b), Math.max(a, b)]
        const { firstFrame, worstFrame: worst, medianWorkNs } = stripColumns(frames, from, to, width)
        expect(worst.length).to.equal(Math.min(width, to - from))
        let seen = from
        worst.forEach((frame, column) => {
          const work = [...frames.workNs.slice(firstFrame[column], firstFrame[column + 1])].sort(
            (x, y) => x - y,
          )
          expect(firstFrame[column]).to.equal(seen)
          seen = firstFrame[column + 1]!
          expect(frames.workNs[frame]).to.equal(work.at(-1))
          const half = (work.length - 1) / 2
          expect(medianWorkNs[column]).to.equal((work[Math.floor(half)]! + work[Math.ceil(half)]!) / 2)
        })
        expect(seen).to.equal(worst.length === 0 ? from : to)
      }),
    )
  })

  it('goes to the next frame over budget, and knows the worst', () => {
    expect(nextOver(frames, 0, 1, 16 * MS)).to.equal(5)
    expect(nextOver(frames, 5, 1, 16 * MS)).to.equal(102)
    expect(nextOver(frames, 102, -1, 16 * MS)).to.equal(5)
    expect(nextOver(frames, 5, -1, 16 * MS)).to.equal(null)
    expect(worstFrame(frames, 10, 200)).to.equal(102)
  })
})
