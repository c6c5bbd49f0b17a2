import { sum } from '../../stats/index.ts'
import { percent } from '../../words/index.ts'
import { number, numberOf } from '../input.ts'
import { outcome, type Remedy } from '../remedy.ts'
import type { Site } from '../site.ts'

/** A cheap test in front; the costly work only where it passes. */
export const remedy: Remedy = {
  kind: 'gate',
  order: 16,
  words: 'gate',
  about: 'a cheap test in front, and the costly work only where it passes',
  price: 'the test’s own cost',
  effort: 'small',
  makes: '`passes` of T, plus `test` for each run',
  suggests: 'passes: time of runs that changed something',
  inputs: (site) => {
    const measured = passing(site)
    return [
      number('passes', {
        words: 'runs that pass',
        unit: '%',
        about:
          measured === null
            ? 'share of the runs for which the work is needed: no run says whether it changed anything'
            : 'share of the time of runs that changed something',
        origin: measured === null ? 'assumed' : 'measured',
        suggested: (measured ?? 0.5) * 100,
        most: 100,
      }),
      number('test', {
        words: 'cost of one test',
        unit: 'µs',
        about: 'time to find out whether a run is needed',
        origin: 'assumed',
        suggested: 0.1,
        most: 100_000,
      }),
    ]
  },
  apply(site, values) {
    const passes = numberOf(values, 'passes') / 100
    const measured = passing(site)
    const tree = site.treeNs()
    const { calls, needlessNs } = site.columns
    // As many as were told, in the frames in which they were; scaled where somebody thinks otherwise.
    const keep = tree.map((ns, frame) => {
      if (measured === null || ns === 0) return passes
      const here = Math.max(0, 1 - needlessNs[frame]! / ns)
      if (passes <= measured) return measured > 0 ? (here * passes) / measured : 0
      return measured < 1 ? 1 - ((1 - here) * (1 - passes)) / (1 - measured) : 1
    })
    const testNs = numberOf(values, 'test') * 1000
    return outcome(
      [{ path: site.path, keep, extraNs: calls.map((runs) => runs * testNs), clears: 'needless' }],
      {
        price: [`a test before each run: ${percent(1 - passes)} of the runs end there`],
      },
    )
  },
}

/** Share of the time of runs that changed something; null where none said. */
function passing(site: Site): number | null {
  const { needlessNs } = site.replay.columns(site.workPath)
  if (!site.saysEffect()) return null
  const total = sum(site.treeNs())
  return total > 0 ? Math.max(0, 1 - sum(needlessNs) / total) : 1
}
