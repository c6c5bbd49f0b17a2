/** What docs/accuracy.md says of findings and forecasts: counts, marks and reasons. */
import { expect } from 'chai'
import { REMEDY_KINDS } from '@lapsus/core/detect'
import { planFromJson } from '@lapsus/core/remedy'
import { FLAWS } from '../games/moth-post/src/settings.ts'

interface Figures {
  frames: { work: { p50: number; p95: number; p99: number }; over: number }
  /** Null where nobody knows. */
  collectionsPer1000: number | null
}
interface Run {
  label: string
  seed: number
  drift: number
  before: Figures
  forecast: Figures
  after: Figures
  remedies: string[]
  ranges: Record<'p50' | 'p95', { low: number; high: number }>
  /** What the recordings say for themselves: the difference, and its interval. */
  recorded: { figure: string; before: number; low: number; high: number }[]
}
interface Planned {
  name: string
  items: { remedy: string; path: string[]; parameters: Record<string, unknown> }[]
  adjust?(items: Planned['items'], found: { assumptions: { name: string; value: number }[] }[]): void
}
// Scripts are plain Node, without types.
const findingsScript = '../scripts/setup/accuracy.mjs'
const { cleanSection, findingsSection } = (await import(findingsScript)) as {
  cleanSection(machines: [string, object[]][], seconds: number): string[]
  findingsSection(runs: object[], of: { seeds: number[]; seconds: number; machine: string }): string[]
}
const script = '../scripts/setup/forecast-accuracy.mjs'
const { FORECASTS, forecastSection, planOf, speedBetween } = (await import(script)) as {
  FORECASTS: Planned[]
  forecastSection(runs: Run[], of: { seeds: number[]; seconds: number }): string[]
  planOf(items: Planned['items']): object
  speedBetween(before: Map<string, number>, after: Map<string, number>): number
}

const figures = (p50: number, p95: number): Figures => ({
  frames: { work: { p50, p95, p99: p95 * 2 }, over: 3 },
  collectionsPer1000: 12,
})
const made = (label: string, drift: number, [before, forecast, after]: [number, number, number]): Run => ({
  ...{ label, seed: 1, drift, remedies: ['pool'] },
  // Ten percent each way.
  ranges: {
    p50: { low: 0.9 * forecast, high: 1.1 * forecast },
    p95: { low: 1.8 * forecast, high: 2.2 * forecast },
  },
  before: figures(before, before * 2),
  forecast: figures(forecast, forecast * 2),
  after: figures(after, after * 2),
  // Far from what is forecast, whatever that is.
  recorded: ['p50', 'p95'].map((figure) => ({ figure, before: 0, low: -2, high: -1 })),
})
const section = (...runs: Run[]) => forecastSection(runs, { seeds: [1], seconds: 20 }).join('\n')
const misses = (text: string) => text.split('\n').filter((line) => / p(50|95)(, wrong sign)? \| /.test(line))

describe('accuracy of findings', () => {
  const night = (seed: number, kind: string, name = 'none') => ({
    ...{ name, seed, bytes: false, spikes: 0, frames: { work: { p50: 1, p99: 2 } } },
    findings: [
      { kind, path: ['sim.step', 'wing.beat'], text: `it is ${kind}`, small: false, trouble: 'floor' },
    ],
  })
  const page = (...runs: object[]) =>
    findingsSection(runs, { seeds: [1, 2], seconds: 27, machine: 'A machine' }).join('\n')

  it('says of each flaw that was missed what was told instead, and of each false alarm what it said', () => {
    const text = page(
      night(1, 'hotspot', 'moth-objects'),
      night(2, 'long-call', 'moth-objects'),
      night(1, 'growth'),
      night(2, 'hotspot'),
    )
    expect(text).to.contain('Found alone: 1 of 2, 0.5.')
    expect(text).to.match(/\| 2 +\| moth-objects +\| long-call: it is long-call +\|/)
    expect(text).to.contain(
      'Nights without any flaw: 2. Findings above 1 % of the budget, of a kind that stands for some flaw: 2.',
    )
    expect(text).to.match(/\| 1 +\| timing +\| growth +\| it is growth +\|/)
    expect(page(night(1, 'hotspot', 'moth-objects'))).not.to.contain('told instead')
  })

  it('counts the false alarms of nights without flaws by machine, and says what each said', () => {
    const machine = { ...night(3, 'hotspot').findings[0], trouble: 'machine' }
    const text = cleanSection(
      [
        ['A quiet machine', [night(1, 'collection-pauses'), { ...night(3, 'growth'), findings: [machine] }]],
        ['A busy machine', [night(1, 'growth'), night(2, 'hotspot'), night(3, 'interruptions')]],
      ],
      27,
    ).join('\n')
    expect(text).to.match(
      /\| A quiet machine \| 2 \| 0 \| 1 ms \(1 to 1\) \| 2 ms \(2 to 2\) \| collection-pauses 1 × \|/,
    )
    expect(text).to.match(/\| A busy machine \| 3 \| 2 \|.*\| interruptions 1 × \|/)
    expect(text).to.contain('| 1 | timing | growth | it is growth |')
    expect(text).not.to.contain('A quiet machine:')
  })
})

describe('accuracy of forecasts', () => {
  it('says of what nobody knows that it is unknown', () => {
    const run = made('letter-churn', 1.2, [10, 8, 9])
    run.forecast.collectionsPer1000 = null
    run.after.collectionsPer1000 = null
    expect(section(run)).to.contain('| letter-churn | pool | 12 → unknown / unknown |')
  })

  it('is asked of every flaw, with plans that can be read', () => {
    expect(new Set(FORECASTS.map(({ name }) => name))).to.deep.equal(new Set(Object.keys(FLAWS)))
    for (const { name, items } of FORECASTS) {
      const { plan, problems } = planFromJson(planOf(items))
      expect(problems, name).to.deep.equal([])
      expect(
        plan.items.map(({ path }) => path),
        name,
      ).to.deep.equal(items.map(({ path }) => path))
      for (const { remedy } of items) expect(REMEDY_KINDS).to.include(remedy)
    }
  })

  it('takes two routes a frame for the slice, of the piece that the take suggests', () => {
    const sliced = FORECASTS.find(({ items }) => items[0]!.remedy === 'slice')!
    const items = sliced.items.map((item) => ({ ...item }))
    sliced.adjust!(items, [{ assumptions: [{ name: 'piece', value: 0.4 }] }])
    expect(items[0]!.parameters).to.deep.equal({ budget: 0.8, piece: 0.4 })
  })

  it('counts what is within 15 % or 0.3 ms, and marks what is not', () => {
    const text = section(made('near', 1, [5, 3, 3.2]), made('far', 1, [5, 2, 4]))
    expect(text).to.contain('| at least 90 % within 15 % or 0.3 ms | 2 of 4, 50 % |')
    expect(text).to.contain('in opposite directions) | 0 |')
    // 3.2 is within 3 ± 10 %, 4 is not within 2 ± 10 %.
    expect(text).to.contain('inside the range of the forecast | 2 of 4, 50 % |')
    expect(text).to.contain('| near | pool | 5 → 3 / 3.2 |')
    expect(text).to.contain('5 → 2 / 4 **missed**')
    expect(misses(text)).to.have.length(2)
    expect(section(made('near', 1, [5, 3, 3.2]))).to.not.contain('### Misses')
  })

  it('names a wrong sign even where the forecast is near', () => {
    const text = section(made('turned', 1, [5.4, 5, 5.75]))
    expect(text).to.contain('in opposite directions) | 2 |')
    expect(misses(text).every((line) => line.includes('wrong sign'))).to.equal(true)
    // What hardly moved has no sign.
    expect(section(made('still', 1, [5, 4.9, 5.1]))).to.contain('in opposite directions) | 0 |')
  })

  it('judges at equal speed of the machine', () => {
    // The machine was faster in the second night by just what the forecast seems to be off.
    expect(misses(section(made('letter-churn', 0.7, [6, 5, 3.5])))).to.deep.equal([])
    expect(section(made('letter-churn', 0.7, [6, 5, 3.5]))).to.contain('6 → 5 / 5 |')
  })

  it('says of a miss whether the recordings scatter as widely, up to the ends of their interval', () => {
    const [before, forecast, after] = [6, 5, 3.5]
    const why = (low: number, high: number) => {
      const run = made('still unknown', 1, [before, forecast, after])
      run.recorded[0] = { figure: 'p50', before, low, high }
      return misses(section(run))[0]
    }
    const scatters = (low: string, high: string) =>
      `the recordings scatter as widely: by them alone ${low} to ${high} ms, 95 % sure`
    expect(why(-4, -1)).to.contain(scatters('2', '5'))
    expect(why(-1, 0)).to.contain(scatters('5', '6'))
    expect(why(-4, -1.01)).to.contain('not explained')
    expect(why(-0.99, 0)).to.contain('not explained')
  })

  it('gives the reason of each miss: what no forecast knows, the machine, or none', () => {
    const [known] = misses(section(made('letter-churn', 1, [6, 5, 3.5])))
    expect(known).to.contain('the first seconds decide')
    const [variant] = misses(section(made('route-burst, as jobs', 1, [6, 5, 3.5])))
    expect(variant).to.contain('planning a route again')
    const [unlike] = misses(section(made('belt-retest', 1.4, [6, 5, 3.5])))
    expect(unlike).to.contain('the machine: its speed changed by 1.4 ×')
    const [unexplained] = misses(section(made('belt-retest', 1, [6, 5, 3.5])))
    expect(unexplained).to.contain('not explained')
  })

  it('tells the speed by what most paths cost, whatever the fix has changed', () => {
    const before = new Map(['a', 'b', 'c', 'd', 'fixed'].map((name) => [name, 2]))
    const after = new Map([
      ...['a', 'b', 'c', 'd'].map((name) => [name, 2.6] as const),
      ['fixed', 0.1],
      ['new', 9],
    ])
    expect(speedBetween(before, after as Map<string, number>)).to.be.closeTo(1.3, 1e-12)
    expect(speedBetween(new Map(), new Map())).to.equal(1)
  })
})
