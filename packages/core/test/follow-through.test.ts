/** What a plan changes has consequences: steps that follow, changes that wait, loads that differ. Against games played anew. */
import { expect } from 'chai'
import { expectWork, forecastOn, forecastOne, item, workOf } from './support/plans.ts'
import { run, runs, type TestFrame } from './support/studies.ts'

const MS = 1e6

describe('forecasts follow through', () => {
  /** A game whose fixed steps make up for the time that passed, as it would really run. */
  function stepping(stallMs: number, most = Infinity): TestFrame[] {
    const [lengthMs, costMs] = [4, 1.2]
    const frames: TestFrame[] = []
    let owedMs = 4 * lengthMs
    for (let i = 0; i < 400; i++) {
      const due = Math.floor(owedMs / lengthMs)
      const steps = Math.min(most, due)
      // What a limit leaves out is lost.
      owedMs -= due * lengthMs
      const stall = i % 40 === 17 ? stallMs : 0
      frames.push({
        runs: [
          run('draw', 5 * MS),
          run('stall', Math.max(1, stall * MS)),
          ...runs(steps, 'step', costMs * MS),
        ],
        steps,
      })
      owedMs += 5 + stall + steps * costMs
    }
    return frames
  }
  const sorted = (work: ArrayLike<number>) => [...Array.from(work)].sort((a, b) => a - b)
  const figuresOf = (work: ArrayLike<number>) => {
    const all = sorted(work)
    const at = (p: number) => all[Math.floor(p * (all.length - 1))]!
    return { sum: all.reduce((sum, ns) => sum + ns, 0), p50: at(0.5), p95: at(0.95), p99: at(0.99) }
  }
  const expectAlike = (forecast: ArrayLike<number>, played: ArrayLike<number>, share: number) => {
    const [one, other] = [figuresOf(forecast), figuresOf(played)]
    for (const name of ['sum', 'p50', 'p95', 'p99'] as const)
      expect(one[name] / other[name], name).to.be.within(1 - share, 1 + share)
  }

  it('limit steps: as the game would really run with the limit', () => {
    const recorded = stepping(40)
    const { workNs, price } = forecastOne(recorded, item('limit-steps', ['step'], { most: 4 }))
    expectAlike(workNs, workOf(stepping(40, 4)), 0.05)
    expect(price[0]).to.contain('game time runs slow by')
    // Without following them, the frames after a stall would keep steps that nobody owes any more.
    const cut = workOf(recorded, (list) => {
      let seen = 0
      return list.filter((one) => one.marker !== 'step' || seen++ < 4)
    })
    expect(figuresOf(workNs).sum).to.be.at.most(figuresOf(cut).sum)
  })

  it('anything that shortens frames is followed by fewer steps', () => {
    const recorded = stepping(40)
    const { workNs } = forecastOne(recorded, item('drop', ['stall']))
    expectAlike(workNs, workOf(stepping(0)), 0.05)
    // All of it is gone: the stalls, and the steps that made up for them.
    expect(figuresOf(workNs).p99).to.be.below(0.5 * figuresOf(workOf(recorded)).p99)
  })

  it('steps stay where nothing changes, and where no marker runs once for each', () => {
    const recorded = stepping(40)
    expectWork(forecastOne(recorded, item('limit-steps', ['step'], { most: 12 })).workNs, workOf(recorded))
    const untold = recorded.map(({ steps: _, ...frame }) => frame)
    const without = workOf(untold, (list) => list.filter(({ marker }) => marker !== 'stall'))
    expectWork(forecastOne(untold, item('drop', ['stall'])).workNs, without)
  })

  it('timer before react: what changed in the frames left out waits for the next run', () => {
    // Changes in one frame of seven; looked at in every third, a run is needed whenever one came since the last.
    const changed = (i: number) => i % 7 === 3
    const recorded: TestFrame[] = Array.from({ length: 210 }, (_, i) => ({
      runs: [run('text', MS, { effect: changed(i) })],
    }))
    const items = [item('timer', ['text'], { every: 3 }), item('react', ['text'], { dispatch: 0 })]
    const { forecast } = forecastOn(recorded, items)
    let news = false
    const played = recorded.map((_, i) => {
      news ||= changed(i)
      if (i % 3 !== 0 || !news) return 0
      news = false
      return MS
    })
    expectWork(forecast.frames.workNs, played)
  })

  it('bucket: the share of the tests is that of each frame’s own load', () => {
    const lights = (i: number) => 50 + (i % 30) * 10
    const cost = (others: number) => 20_000 + 100 * others
    const recorded: TestFrame[] = Array.from({ length: 300 }, (_, i) => ({
      runs: runs(10, 'measure', cost(lights(i))),
      gauges: { lights: lights(i) },
    }))
    const usual = 195
    const variable = (100 * 100 * usual) / cost(usual)
    const { workNs } = forecastOne(
      recorded,
      item('bucket', ['measure'], { others: 'lights', occupancy: 2, cells: 9, upkeep: 0, variable }),
    )
    const played = recorded.map((_, i) => 10 * cost(Math.min(18, lights(i))))
    workNs.forEach((ns, i) => expect(ns / played[i]!, `frame ${i}`).to.be.closeTo(1, 0.02))
  })

  it('moved work costs what the machine costs where it lands', () => {
    // Half as fast again from frame 120 on: everything takes 1.5 times as long.
    const slow = (frame: number) => (frame < 120 ? 1 : 1.5)
    const played = (auditAt: (frame: number) => boolean): TestFrame[] =>
      Array.from({ length: 240 }, (_, frame) => ({
        runs: [
          ...['input', 'sim', 'sound', 'draw'].map((name) => run(name, MS * slow(frame))),
          ...(frame % 60 === 10 ? [run('sweep', 3 * MS * slow(frame))] : []),
          ...(auditAt(frame) ? [run('audit', 2 * MS * slow(frame))] : []),
        ],
      }))
    const together = played((frame) => frame % 60 === 10)
    const parted = item('stagger', ['sweep'], { with: 'audit', 'shift audit': 55 })
    const { workNs } = forecastOn(together, [parted]).forecast.frames
    // One of them falls from the fast half into the slow one: 2 ms there are 3 ms here.
    expectWork(
      workNs,
      workOf(played((frame) => frame % 60 === 5 && frame > 10)).map(
        (ns, frame) => ns + (frame === 239 ? 3 * MS : 0),
      ),
    )
    const bursts = together.map((frame, i) =>
      i === 118 ? { runs: [...frame.runs, run('plan', 12 * MS)] } : frame,
    )
    const sliced = forecastOn(bursts, [item('slice', ['plan'], { budget: 4, cost: 0, piece: 0 })]).forecast
    expect(sliced.items[0]!.refusal).to.equal(null)
    const added = [118, 119, 120, 121].map(
      (frame) => (sliced.frames.workNs[frame]! - workOf(together)[frame]!) / MS,
    )
    // 8 ms are done before; the 4 that are left are 6 there, of which 4 fit into the first frame.
    expect(added.map((ms) => Number(ms.toFixed(3)))).to.deep.equal([4, 4, 4, 2])
  })
})
