/** Each remedy in a take of which every figure can be worked out by hand: what it suggests, brings, costs and leaves. */
import { expect } from 'chai'
import { readFileSync } from 'node:fs'
import type { RemedyKind } from '@lapsus/core/detect'
import { baseOf, forecastPlan, newItem, type Forecasted, type Input, type Values } from '@lapsus/core/remedy'
import { SCENES } from './support/scenes.ts'
import { studyFrom } from './support/studies.ts'
import { leftOf, pictured, rounded } from './support/summaries.ts'

interface Whole {
  of: { remedy: RemedyKind; scene: string; path: string[]; subject: string; parameters: Values }
  refusal: string | null
  problems: string[]
  price: string[]
  notes: string[]
  /** A frame, and in the frame it helps most, ms. */
  gain: number[]
  memoryBytes: number
  /** Staleness, ms, and latency, frames: mean and worst of each. */
  stale: number[]
  /** Name, suggestion, bounds or choices, origin, what stands in its words with figures, others worth trying. */
  inputs: (string | number)[][]
  /** Mean work, p95, worst, ms; frames over, spikes, collections of 1,000 frames, bytes a frame. */
  after: (number | null)[]
  /** Of the path over all frames: own time, runs, bytes, needless and repeated time. */
  left: number[] | null
  picture: unknown
}
const WHOLE = JSON.parse(
  readFileSync(new URL('./support/whole-forecasts.json', import.meta.url), 'utf8'),
) as Whole[]

const short = <T>(values: T[]): T[] =>
  values.map((value) => (typeof value === 'number' ? (rounded(value) as T) : value))

const inputOf = (input: Input): (string | number)[] =>
  input.sort === 'number'
    ? short([
        ...[input.name, input.suggested, input.least, input.most, input.origin],
        ...(/\d/.test(input.about) ? [input.about] : []),
        ...input.others.map(({ words, value }) => `${words}: ${rounded(value)}`),
      ])
    : [input.name, input.suggested, ...input.choices.map(({ id }) => id), input.origin]

function wholeOf(of: Whole['of'], { forecast: { items, after }, replay }: Forecasted): Whole {
  const [item] = items
  const { refusal, problems, price, notes, gainMsPerFrame, gainMsAtBest, memoryBytes, inputs } = item!
  const { stalenessMs, latencyFrames, path, picture } = item!
  return {
    ...{ of, refusal, problems, price, notes },
    memoryBytes: rounded(memoryBytes) as number,
    gain: short([gainMsPerFrame, gainMsAtBest]),
    stale: short([stalenessMs.mean, stalenessMs.worst, latencyFrames.mean, latencyFrames.worst]),
    inputs: inputs.map(inputOf),
    after: short([
      ...[after.meanMs, after.frames.work.p95, after.frames.work.worst, after.frames.over],
      ...[after.spikes, after.collectionsPer1000, after.bytesPerFrame],
    ]),
    left: leftOf(replay, path) as number[],
    picture: pictured(picture),
  }
}

describe('what a remedy makes of', () => {
  for (const whole of WHOLE) {
    const { remedy, scene, path, subject, parameters } = whole.of
    const set = Object.entries(parameters).map(([name, value]) => `${name} ${value}`)
    it(`${scene}: ${remedy}${set.length === 0 ? '' : ` (${set.join(', ')})`}`, () => {
      const { frames, game = {} } = SCENES[scene]!
      const markers = { ...game.markers, refresh: { kind: 'wait:refresh' as const } }
      const base = baseOf(studyFrom(frames, { target: 50, ...game, markers }))
      const items = [{ ...newItem(remedy, path, subject), parameters: { ...parameters } }]
      expect(wholeOf(whole.of, forecastPlan(base, { items }))).to.deep.equal(whole)
    })
  }
})
