/** Phases of periodic work, pools, queues, schedules and layouts, each by itself. */
import { expect } from 'chai'
import { steadyRandom } from '@lapsus/core/stats'
import fc from 'fast-check'
import {
  commonPeriod,
  largest,
  loadOfPhases,
  makespan,
  mostAlive,
  optimisePhases,
  poolSizes,
  randomWorst,
  runPool,
  runQueue,
  scheduleJobs,
  type PeriodicTask,
} from '@lapsus/core/remedy'

const tasks = fc.array(
  fc.record({ period: fc.constantFrom(1, 2, 3, 4, 5, 6, 8), cost: fc.integer({ min: 1, max: 20 }) }),
  { minLength: 1, maxLength: 4 },
)

/** The lightest worst frame of all phases there are. */
function exhaustive(list: readonly PeriodicTask[]): number {
  let best = Infinity
  const visit = (phases: number[]) => {
    if (phases.length === list.length) best = Math.min(best, largest(loadOfPhases(list, phases)))
    else for (let phase = 0; phase < list[phases.length]!.period; phase++) visit([...phases, phase])
  }
  visit([])
  return best
}

describe('phases', () => {
  it('are as good as the best of all, on small cases, nearly always, and never far off', () => {
    let cases = 0
    let best = 0
    fc.assert(
      fc.property(tasks, (list) => {
        const found = largest(loadOfPhases(list, optimisePhases(list)))
        const least = exhaustive(list)
        cases++
        if (found === least) best++
        expect(found).to.be.at.least(least)
        expect(found).to.be.at.most(least * 1.34)
      }),
      { numRuns: 200, seed: 7 },
    )
    expect(best / cases).to.be.at.least(0.97)
  })

  it('are never worse than phases drawn at random', () => {
    fc.assert(
      fc.property(tasks, (list) => {
        expect(largest(loadOfPhases(list, optimisePhases(list)))).to.be.at.most(
          randomWorst(list, steadyRandom()),
        )
      }),
      { numRuns: 100, seed: 3 },
    )
  })

  it('part two timers of the same period, and give the same answer twice', () => {
    const list = [
      { period: 60, cost: 3 },
      { period: 60, cost: 2 },
      { period: 30, cost: 1 },
    ]
    expect(commonPeriod(list)).to.equal(60)
    expect(largest(loadOfPhases(list, optimisePhases(list)))).to.equal(3)
    expect(optimisePhases(list)).to.deep.equal(optimisePhases(list))
    expect(randomWorst(list, steadyRandom())).to.equal(randomWorst(list, steadyRandom()))
  })

  it('stop at a length that can be looked at', () => {
    const list = [7, 11, 13, 17, 19, 23].map((period) => ({ period, cost: 1 }))
    expect(commonPeriod(list)).to.equal(5_040)
    expect(optimisePhases(list)).to.have.length(6)
    expect(optimisePhases([])).to.deep.equal([])
  })
})

describe('pools', () => {
  const lives = fc
    .array(fc.tuple(fc.integer({ min: 0, max: 5 }), fc.double({ min: 0, max: 1, noNaN: true })), {
      minLength: 1,
      maxLength: 60,
    })
    .map((steps) => {
      let alive = 0
      const born: number[] = []
      const died: number[] = []
      for (const [births, share] of steps) {
        const deaths = Math.floor(alive * share)
        alive += births - deaths
        born.push(births)
        died.push(deaths)
      }
      return { born, died, atStart: 0 }
    })

  it('of the suggested size never grow; of one less they do', () => {
    fc.assert(
      fc.property(lives, (one) => {
        const { never, rarely, pays } = poolSizes(one)
        expect(runPool(one, never, 'grow', 1).grownFrames).to.equal(0)
        if (never > 0) expect(runPool(one, never - 1, 'grow', 1).grownFrames).to.be.greaterThan(0)
        expect(rarely).to.be.at.most(never)
        expect(pays).to.be.at.most(never)
        expect(mostAlive(one)).to.equal(never)
      }),
    )
  })

  it('keep count: what is served, made and refused is what is born', () => {
    fc.assert(
      fc.property(lives, fc.integer({ min: 0, max: 12 }), (one, size) => {
        const sum = (values: ArrayLike<number>) => Array.from(values).reduce((a, b) => a + b, 0)
        const make = runPool(one, size, 'make', 1)
        expect(sum(make.served) + sum(make.made)).to.equal(sum(one.born))
        const refuse = runPool(one, size, 'refuse', 1)
        expect(sum(refuse.served) + refuse.refused).to.equal(sum(one.born))
        expect(refuse.live.every((alive) => alive <= size)).to.equal(true)
        const grow = runPool(one, size, 'grow', 4)
        expect(sum(grow.served)).to.equal(sum(one.born))
        expect(grow.live.every((alive, frame) => alive <= grow.size[frame]!)).to.equal(true)
      }),
    )
  })
})

describe('queues', () => {
  it('do all that comes in, in order, never more than they may', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 30 }), { minLength: 1, maxLength: 60 }),
        fc.integer({ min: 1, max: 20 }),
        (arrivals, budget) => {
          const { served, backlog, waits } = runQueue(Float64Array.from(arrivals), budget, 0)
          let waiting = 0
          arrivals.forEach((ns, frame) => {
            waiting += ns - served[frame]!
            expect(served[frame]).to.be.at.most(budget)
            expect(backlog[frame]).to.be.closeTo(waiting, 1e-6)
            expect(waiting).to.be.at.least(-1e-6)
          })
          expect(waits.length).to.equal(arrivals.filter((ns) => ns > 0).length)
          const done = waits.filter(({ frames }) => frames >= 0).map(({ frame, frames }) => frame + frames)
          expect([...done].sort((a, b) => a - b)).to.deep.equal(done)
        },
      ),
    )
  })

  it('do at least one piece a frame, however small the budget', () => {
    const { served } = runQueue(Float64Array.of(30, 0, 0, 0), 4, 10)
    expect([...served]).to.deep.equal([10, 10, 10, 0])
  })
})

describe('schedules', () => {
  it('of equal jobs on idle lanes take as many rounds as it needs', () => {
    for (const [jobs, lanes] of [
      [1, 4],
      [4, 4],
      [5, 4],
      [12, 3],
    ] as const) {
      const busy = new Array<number>(lanes).fill(0)
      expect(makespan(jobs, 10, busy)).to.equal(Math.ceil(jobs / lanes) * 10)
      expect(scheduleJobs(jobs, 10, busy).endNs).to.equal(Math.ceil(jobs / lanes) * 10)
    }
    expect(makespan(0, 10, [0])).to.equal(0)
  })

  it('never run two jobs on one lane at once, nor before it is free', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 20 }),
        fc.array(fc.integer({ min: 0, max: 50 }), { minLength: 1, maxLength: 5 }),
        (jobs, busy) => {
          const { shifts, endNs } = scheduleJobs(jobs, 7, busy)
          expect(shifts).to.have.length(jobs)
          busy.forEach((until, lane) => {
            let free = until
            for (const one of shifts.filter((shift) => shift.lane === lane)) {
              expect(one.fromNs).to.be.at.least(free)
              free = one.toNs
            }
          })
          expect(endNs).to.equal(Math.max(...shifts.map(({ toNs }) => toNs)))
          expect(makespan(jobs, 7, busy)).to.equal(endNs)
        },
      ),
    )
  })
})
