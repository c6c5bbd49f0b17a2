/** What pictures of plans draw, seen by a canvas that writes down what it is told. */
import { expect } from 'chai'
import fc from 'fast-check'
import type { Picture } from '@lapsus/core/remedy'
import { emptyFrames } from '@lapsus/core/take'
import type { Palette } from '../src/components/palette.ts'
import { lanesWithJoin } from '../../core/src/remedy/lanes-with-join.ts'
import { bothLayouts } from '../../core/src/remedy/kinds/one-manager.ts'
import { liveCurve } from '../../core/src/remedy/kinds/pool.ts'
import { backlogAround } from '../../core/src/remedy/kinds/slice.ts'
import { loads } from '../../core/src/remedy/kinds/stagger.ts'
import { drawJoins } from '../src/compare/draw-joins.ts'
import { drawPicture } from '../src/sights/forecast/pictures/draw-picture.ts'
import { drawProofStrip } from '../src/sights/proof/draw-proof-strip.ts'
import type { PlannedFrames } from '../src/plan/planned-frames.ts'
import { drawStrip } from '../src/strip/draw-strip.ts'
import { FLAGS, FOOT, lengthScale } from '../src/strip/geometry.ts'

const WIDTH = 640
const HEIGHT = 180
const COLOURS = [
  'paper',
  'leaf',
  'ink',
  'faint',
  'line',
  'work',
  'workSoft',
  'wait',
  'collect',
  'alarm',
  'pick',
]
const PALETTE = Object.fromEntries(COLOURS.map((name) => [name, name])) as unknown as Palette

interface Drawn {
  rects: { colour: string; x: number; y: number; width: number; height: number }[]
  points: { x: number; y: number }[]
  texts: string[]
}

/** A canvas context that only notes what it should draw. */
function noting(): { context: CanvasRenderingContext2D; drawn: Drawn } {
  const drawn: Drawn = { rects: [], points: [], texts: [] }
  const state: Record<string, unknown> = {}
  const methods: Record<string, unknown> = {
    fillRect: (x: number, y: number, width: number, height: number) =>
      drawn.rects.push({ colour: String(state['fillStyle']), x, y, width, height }),
    lineTo: (x: number, y: number) => drawn.points.push({ x, y }),
    moveTo: (x: number, y: number) => drawn.points.push({ x, y }),
    fillText: (text: string) => drawn.texts.push(text),
    measureText: (text: string) => ({ width: text.length * 6 }),
  }
  const context = new Proxy(state, {
    get: (_, name: string) => methods[name] ?? state[name] ?? (() => {}),
    set: (_, name: string, value) => {
      state[name] = value
      return true
    },
  })
  return { context: context as unknown as CanvasRenderingContext2D, drawn }
}

function picture(what: Picture): Drawn {
  const { context, drawn } = noting()
  drawPicture({ context, width: WIDTH, height: HEIGHT, palette: PALETTE }, what)
  return drawn
}

/** Everything lies on the canvas, and is somewhere. */
function expectInside({ rects, points }: Drawn, height = HEIGHT): void {
  for (const { x, y, width, height: tall } of rects) {
    expect([x, y, width, tall].every(Number.isFinite), JSON.stringify({ x, y, width, tall })).to.equal(true)
    expect(x).to.be.within(-1, WIDTH + 1)
    expect(x + width).to.be.at.most(WIDTH + 1.5)
    expect(y + tall).to.be.at.most(height + 1)
  }
  for (const { x, y } of points) expect([x, y].every(Number.isFinite)).to.equal(true)
}

const ofColour = ({ rects }: Drawn, colour: string) => rects.filter((rect) => rect.colour === colour)
const column = (...values: number[]) => Float64Array.from(values)

describe('pictures of remedies', () => {
  it('stay on their canvas, whatever the figures', () => {
    const values = fc
      .array(fc.double({ min: 0, max: 1e6, noNaN: true }), { minLength: 1, maxLength: 900 })
      .map((list) => Float64Array.from(list))
    fc.assert(
      fc.property(values, values, fc.nat(50), (one, other, frames) => {
        const length = Math.min(one.length, other.length)
        const [a, b] = [one.subarray(0, length), other.subarray(0, length)]
        const waits = [
          { frame: frames % length, frames: frames % 9 },
          { frame: 0, frames: -1 },
        ]
        expectInside(picture(liveCurve(a, b, 'letter')))
        expectInside(picture(loads(a, b, 1)))
        expectInside(picture(backlogAround(a, b, a, waits)))
        expectInside(picture(backlogAround(a, b, a, [])))
      }),
      { numRuns: 60 },
    )
  })

  it('stay on it where everything is nothing', () => {
    const none = column(0, 0, 0)
    expectInside(picture(liveCurve(none, none, 'x')))
    expectInside(picture(loads(none, none, 0)))
    expectInside(picture(backlogAround(none, none, none, [])))
    expectInside(picture(lanesWithJoin({ lanes: ['a'], busyNs: [0], shifts: [], joinNs: 0, endNs: 0 })))
  })

  it('show jobs on the lanes that do them, and a wait only where there is one', () => {
    const schedule = (joinNs: number): Picture =>
      lanesWithJoin({
        ...{ lanes: ['one', 'two'], busyNs: [0, 2e6], joinNs, endNs: 6e6 },
        shifts: [
          { lane: 0, fromNs: 0, toNs: 3e6 },
          { lane: 0, fromNs: 3e6, toNs: 6e6 },
          { lane: 1, fromNs: 2e6, toNs: 5e6 },
        ],
      })
    const waits = picture(schedule(2e6))
    expectInside(waits)
    expect(ofColour(waits, 'work')).to.have.length(3)
    const [first, second, third] = ofColour(waits, 'work')
    expect(first!.x).to.equal(second!.x)
    expect(third!.x).to.be.greaterThan(first!.x)
    expect(second!.y).to.be.greaterThan(first!.y)
    // The busy lane, and the wait on the main lane.
    expect(ofColour(waits, 'wait')).to.have.length(2)
    expect(waits.texts.join()).to.contain('the main lane waits 4.00 ms')
    const ready = picture(schedule(9e6))
    expect(ofColour(ready, 'wait')).to.have.length(1)
    expect(ready.texts.join()).to.contain('does not wait')
  })

  it('show both layouts on one scale', () => {
    const drawn = picture(
      bothLayouts(1000, {
        structs: { bytes: 128_000, lines: 2_000 },
        arrays: { bytes: 128_000, lines: 375 },
      }),
    )
    expectInside(drawn)
    const [structs, arrays] = ofColour(drawn, 'work')
    expect(structs!.width / arrays!.width).to.be.closeTo(2_000 / 375, 1e-6)
    expect(drawn.texts.join()).to.contain('2,000 lines')
  })

  it('show a load before and after as tall as it is', () => {
    const drawn = picture(loads(column(6, 0, 0, 0), column(3, 0, 3, 0), 4))
    const bars = ofColour(drawn, 'work').filter(({ height }) => height !== 9)
    expect(bars.map(({ height }) => height / bars[0]!.height)).to.deep.equal([1, 0.5, 0.5])
  })
})

describe('a strip with a forecast', () => {
  const frames = (workMs: number[]) => {
    const columns = emptyFrames(workMs.length)
    workMs.forEach((ms, i) => {
      columns.startNs[i] = i * 16e6
      columns.workNs[i] = columns.durationNs[i] = ms * 1e6
    })
    return columns
  }
  const strip = (
    forecastMs: number[] | null,
    { from = 0, range = null }: Partial<PlannedFrames> = {},
  ): Drawn => {
    const { context, drawn } = noting()
    const recorded = frames(Array.from({ length: 200 }, (_, i) => (i % 50 === 7 ? 40 : 8)))
    drawStrip(context, WIDTH, 148, PALETTE, {
      ...{
        frames: recorded,
        moments: [],
        stretches: [],
        window: { from: 0, to: 200 },
        budgetMs: 16,
        frame: null,
        range: null,
        lit: [],
        byMachine: [],
        speed: null,
      },
      planned:
        forecastMs === null ? null : { from, workNs: Float64Array.from(forecastMs, (ms) => ms * 1e6), range },
    })
    return drawn
  }

  it('marks each frame that would still fall through the floor, at its depth', () => {
    const still = strip(Array.from({ length: 200 }, (_, i) => (i === 57 || i === 107 ? 20 : 4)))
    expectInside(still, 148)
    const marks = ofColour(still, 'ink')
    expect(marks).to.have.length(2)
    const scale = lengthScale(148, 16e6)
    expect(marks[0]!.y + 1).to.be.closeTo(FLAGS + 20e6 * scale, 1)
    expect(marks[0]!.x).to.be.closeTo((57 / 200) * WIDTH, 3)
    expect(ofColour(strip(Array.from({ length: 200 }, () => 4)), 'ink')).to.deep.equal([])
  })

  it('draws a line through the middle, never below the foot', () => {
    const drawn = strip(Array.from({ length: 200 }, () => 500))
    for (const { y } of drawn.points) expect(y).to.be.at.most(148 - FOOT + 2)
    expect(strip(null).points.length).to.be.lessThan(drawn.points.length)
  })

  it('draws what was forecast where it belongs, with the range of it', () => {
    const few = strip(Array(50).fill(6) as number[], { from: 100, range: { low: 0.5, high: 1.5 } })
    const bare = strip(null)
    const added = few.points.filter(
      ({ x, y }) => !bare.points.some((point) => point.x === x && point.y === y),
    )
    for (const { x } of added) expect(x).to.be.within(WIDTH / 2 - 1, (WIDTH * 3) / 4 + 1)
    const depths = [...new Set(added.map(({ y }) => Math.round((y - FLAGS) / lengthScale(148, 16e6) / 1e5)))]
    expect(depths.sort((a, b) => a - b)).to.deep.equal([30, 60, 90])
  })

  it('marks frames that tell of something, and the one that is looked at', () => {
    const { context, drawn } = noting()
    drawProofStrip(
      { context, width: WIDTH, height: 80, palette: PALETTE },
      {
        words: 'after',
        workNs: new Float64Array(100).fill(4e6),
        budgetMs: 16,
        lit: Uint32Array.of(10, 90),
        frame: 50,
      },
    )
    const below = drawn.points.filter(({ y }) => y === 80).map(({ x }) => x)
    for (const at of [10, 90])
      expect(below.some((x) => Math.abs(x - ((at + 0.5) * WIDTH) / 100) < 5)).to.equal(true)
    expect(below.some((x) => Math.abs(x - (50.5 * WIDTH) / 100) < 1)).to.equal(true)
  })

  it('joins frames of two strips, each on its own scale', () => {
    const { context, drawn } = noting()
    drawJoins(
      { context, width: WIDTH, height: 24, palette: PALETTE },
      {
        joins: [{ name: 'bell', before: 10, after: 30 }],
        frames: { before: 100, after: 200 },
        chosen: { before: 50, after: 100 },
      },
    )
    const at = (y: number) => drawn.points.filter((point) => point.y === y).map(({ x }) => x)
    const [top, bottom] = [at(0), at(24)]
    for (const [frame, count, xs] of [
      [10, 100, top],
      [50, 100, top],
      [30, 200, bottom],
      [100, 200, bottom],
    ] as const)
      expect(xs.some((x) => Math.abs(x - ((frame + 0.5) * WIDTH) / count) <= 1)).to.equal(true)
  })

  it('hangs proofs on one scale: the floor is where it is in all of them', () => {
    const proof = (workMs: number[]): Drawn => {
      const { context, drawn } = noting()
      drawProofStrip(
        { context, width: WIDTH, height: 80, palette: PALETTE },
        { words: 'before', workNs: Float64Array.from(workMs, (ms) => ms * 1e6), budgetMs: 16 },
      )
      return drawn
    }
    const [calm, wild] = [proof([4, 8, 4]), proof([4, 90, 4])]
    expectInside(calm, 80)
    expectInside(wild, 80)
    expect(ofColour(calm, 'alarm')).to.deep.equal([])
    expect(ofColour(wild, 'alarm')).to.have.length(1)
    expect(calm.points).to.deep.equal(wild.points)
    expect(ofColour(calm, 'work')[1]!.height).to.equal(ofColour(calm, 'work')[0]!.height * 2)
  })
})
