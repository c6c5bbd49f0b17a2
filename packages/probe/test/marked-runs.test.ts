/** What marked functions call: frames, tokens, and what is left out, just below and just above the limits. */
import { expect } from 'chai'
import {
  JUDGED_FRAMES,
  LEAST_NS,
  Marks,
  MOST_RUNS,
  MOST_SHARE,
  noteProbe,
  type MarkedProbe,
  type MarksOptions,
} from '../src/marks/marks.ts'

/** A probe that notes what it is told, on a clock of the test's own. */
class NotedProbe implements MarkedProbe {
  recording = true
  frameNumber = 0
  spanNs = 100
  budgetNs = 16e6
  onSpans: MarkedProbe['onSpans'] = null
  nowMs = 0
  declared: { name: string; group: string; at?: object }[] = []
  log: string[] = []
  moments: [string, object][] = []
  #frame: { marker: number; startMs: number; ms: number }[] = []
  #open: number[] = []
  marker(name: string, options: { group: string; at?: object }): number {
    this.declared.push({ name, ...options })
    return this.declared.length - 1
  }
  frame(): void {
    if (this.frameNumber > 0) this.onSpans?.(...this.#spans(1e6))
    this.frameNumber++
    this.#frame = []
    this.#open = []
    this.log.push('frame')
  }
  enter(marker: number): void {
    this.log.push(`+${this.declared[marker]!.name}`)
    this.#open.push(this.#frame.length)
    this.#frame.push({ marker, startMs: this.nowMs, ms: 0 })
  }
  leave(): void {
    const span = this.#frame[this.#open.pop()!]!
    span.ms = this.nowMs - span.startMs
    this.log.push(`-${this.declared[span.marker]!.name}`)
  }
  moment(name: string, data: object): void {
    this.moments.push([name, data])
  }
  spansOfFrame(): [Uint16Array, Float64Array] {
    return this.#spans(1)
  }
  #spans(unit: number): [Uint16Array, Float64Array] {
    return [
      Uint16Array.from(this.#frame, ({ marker }) => marker),
      Float64Array.from(this.#frame, ({ ms }) => ms * unit),
    ]
  }
}

const turn = () => new Promise((resolve) => setTimeout(resolve))

describe('marks', () => {
  let probe: NotedProbe
  let made: number
  const begun = (options: Partial<MarksOptions> = {}) =>
    new Marks({
      makeProbe: () => {
        made++
        return probe
      },
      ...options,
    })
  const run = (module: ReturnType<Marks['module']>, index: number, inside = () => {}) => {
    const token = module(index)
    inside()
    if (token) module.leave(token)
  }
  beforeEach(() => {
    probe = new NotedProbe()
    made = 0
  })
  afterEach(() => Reflect.deleteProperty(globalThis, Symbol.for('lapsus.probes')))

  it('take the first function that is called from outside in two turns for the loop', async () => {
    const game = begun().module(
      'src/game.js',
      'src',
      ['game.tick', 'Fly.constructor', 'Fly.update'],
      [1, 5, 9],
    )
    // In one turn, as when a game is set up.
    for (let i = 0; i < 3; i++) run(game, 1)
    run(game, 0, () => run(game, 2))
    await turn()
    expect(made).to.equal(0)
    run(game, 0, () => run(game, 2))
    await turn()
    run(game, 0, () => run(game, 2))
    expect(made).to.equal(1)
    const frame = ['frame', '+game.tick', '+Fly.update', '-Fly.update', '-game.tick']
    expect(probe.log).to.deep.equal([...frame, ...frame])
    expect(probe.declared).to.deep.equal([
      { name: 'game.tick', group: 'src', at: { file: 'src/game.js', line: 1 } },
      { name: 'Fly.update', group: 'src', at: { file: 'src/game.js', line: 9 } },
    ])
  })

  it('begin frames where they are told to, also inside another function, but not inside itself', () => {
    const game = begun({ frame: 'game.step' }).module(
      'game.js',
      '',
      ['game.main', 'game.step', 'game.draw'],
      [1, 2, 3],
    )
    run(game, 0, () => {
      run(game, 1, () => run(game, 1))
      run(game, 2)
      run(game, 1)
    })
    expect(probe.log).to.deep.equal([
      ...['frame', '+game.step', '+game.step', '-game.step', '-game.step', '+game.draw', '-game.draw'],
      ...['frame', '+game.step', '-game.step'],
    ])
  })

  it('leave frames to the game where it has a probe of its own', async () => {
    const own = new NotedProbe()
    noteProbe(own)
    own.frame()
    const game = begun().module('game.js', '', ['game.tick'], [1])
    for (let i = 0; i < 3; i++) {
      run(game, 0)
      await turn()
    }
    expect(made).to.equal(0)
    expect(own.log).to.deep.equal([
      'frame',
      ...['+game.tick', '-game.tick', '+game.tick', '-game.tick'],
      '+game.tick',
      '-game.tick',
    ])
    // One that does not record is none.
    own.recording = false
    const other = begun({ frame: 'b.tick' }).module('b.js', '', ['b.tick'], [1])
    run(other, 0)
    expect(made).to.equal(1)
  })

  it('do not leave what was ended with its frame', () => {
    const game = begun({ frame: 'a.tick' }).module('a.js', '', ['a.level', 'a.tick'], [1, 2])
    run(game, 1)
    // It lasts over two frames, which the probe has ended with the first.
    run(game, 0, () => {
      run(game, 1)
      run(game, 1)
    })
    expect(probe.log.filter((one) => one.includes('level'))).to.deep.equal(['+a.level'])
  })

  it('give the thread away in async functions; a frame lasts until its loop is done', () => {
    const game = begun({ frame: 'a.tick' }).module('a.js', '', ['a.tick', 'a.load'], [1, 2])
    const loop = game.run(0)
    loop.away()
    run(game, 1)
    loop.back()
    loop.away()
    // Failed while it waited: what handles it is not in its span.
    loop.away()
    loop.end()
    game.run(0).end()
    expect(probe.log).to.deep.equal([
      ...['frame', '+a.tick', '-a.tick', '+a.load', '-a.load', '+a.tick', '-a.tick'],
      ...['frame', '+a.tick', '-a.tick'],
    ])
  })

  it('record nothing where there is nothing to record to', () => {
    const off = begun({ makeProbe: () => null, frame: 'a.tick' })
    const game = off.module('a.js', '', ['a.tick'], [1])
    for (let i = 0; i < 3; i++) expect(game(0)).to.equal(0)
    game.run(0).end()
    expect(off.isRecording).to.equal(false)
  })

  it('tell functions of one name apart by their places', () => {
    const marks = begun({ frame: 'A.f' })
    run(marks.module('a.js', '', ['A.f'], [1]), 0)
    run(marks.module('b.js', '', ['A.f', 'A.f'], [1, 7]), 0)
    run(marks.module('c.js', '', ['x', 'A.f', 'A.f'], [1, 2, 3]), 2)
    expect(probe.declared.map(({ name }) => name)).to.deep.equal(['A.f', 'A.f (b.js)', 'A.f (c.js:3)'])
    expect(marks.count).to.equal(6)
  })

  /** So many runs of one function in one frame, each of so many ns. */
  function frameOf(runs: number, ns: number): string[] {
    probe = new NotedProbe()
    const game = begun({ frame: 'a.tick' }).module('a.js', '', ['a.tick', 'a.small'], [1, 2])
    for (let frame = 0; frame < 2; frame++)
      run(game, 0, () => {
        for (let i = 0; i < runs; i++) run(game, 1, () => (probe.nowMs += ns / 1e6))
      })
    return probe.log.filter((one) => one === '+a.small')
  }

  it('leave out a function that runs more than 500 times a frame at under 2 µs, at once, and say so', () => {
    expect(frameOf(MOST_RUNS, LEAST_NS - 100)).to.have.length(2 * MOST_RUNS)
    expect(frameOf(MOST_RUNS + 1, LEAST_NS + 100)).to.have.length(2 * (MOST_RUNS + 1))
    expect(probe.moments).to.deep.equal([])
    expect(frameOf(MOST_RUNS + 1, LEAST_NS - 100)).to.have.length(MOST_RUNS)
    expect(probe.moments).to.deep.equal([['left out as too small', { functions: 1, names: 'a.small' }]])
  })

  it('keep recording below 3 % of the budget: the smallest functions go first', () => {
    const played = (spanNs: number) => {
      probe = new NotedProbe()
      probe.spanNs = spanNs
      const game = begun({ frame: 'a.tick' }).module('a.js', '', ['a.tick', 'a.small', 'a.large'], [1, 2, 3])
      for (let frame = 0; frame <= JUDGED_FRAMES + 1; frame++)
        run(game, 0, () => {
          for (let i = 0; i < 20; i++) run(game, 1, () => (probe.nowMs += 0.01))
          for (let i = 0; i < 20; i++) run(game, 2, () => (probe.nowMs += 0.1))
        })
      return probe.moments
    }
    // 41 spans a frame, of 3 % of 16 ms.
    const most = (MOST_SHARE * 16e6) / 41
    expect(played(most * 0.99)).to.deep.equal([])
    const why = 'left out to keep recording below 3 %'
    expect(played(most * 1.01)).to.deep.equal([[why, { functions: 1, names: 'a.small' }]])
    expect(played(most * 1.96)).to.deep.equal([[why, { functions: 2, names: 'a.small, a.large' }]])
  })
})
