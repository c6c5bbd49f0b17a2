import { sum } from '../../stats/index.ts'
import { amount, three } from '../../words/index.ts'
import { number, numberOf } from '../input.ts'
import { outcome, Refusal, type Remedy } from '../remedy.ts'
import { keepWithout } from '../shares.ts'
import type { Site } from '../site.ts'

/** Runs only when what it is about has changed. */
export const remedy: Remedy = {
  kind: 'react',
  order: 5,
  words: 'react to change',
  about: 'only the runs that change something are kept; whoever changes a value says so',
  price: 'every writer must announce',
  effort: 'medium',
  makes:
    'T less the needless time, plus `dispatch` for each change; where runs say nothing, one run for each change of what the marker watches',
  suggests: '',
  inputs(site) {
    changesOf(site)
    return [
      number('dispatch', {
        words: 'cost of one announcement',
        unit: 'µs',
        about: 'time to tell whoever listens of one change',
        origin: 'assumed',
        suggested: 2,
        most: 100_000,
      }),
    ]
  },
  apply(site, values) {
    const { perFrame, neededNs, clears } = changesOf(site)
    const tree = site.treeNs()
    const keep = keepWithout(
      tree,
      tree.map((ns, frame) => ns - Math.min(ns, neededNs[frame]!)),
    )
    const dispatchNs = numberOf(values, 'dispatch') * 1000
    const extraNs = perFrame.map((changes) => changes * dispatchNs)
    const perSecond = sum(perFrame) / Math.max(1e-9, site.secondsRecorded)
    return outcome([{ path: site.path, keep, extraNs, ...(clears ? { clears } : {}) }], {
      price: [`every writer must announce, ${three(perSecond)} times a second`],
      notes: [`${amount(sum(perFrame))} changes in ${three(site.secondsRecorded)} s`],
    })
  },
}

/** How often something changes in each frame, and the time of the runs that are about it. */
function changesOf(site: Site): {
  perFrame: Float64Array
  neededNs: Float64Array
  clears: 'needless' | null
} {
  const { study } = site.base
  const { needlessNs, calls } = site.replay.columns(site.workPath)
  const tree = site.treeNs()
  if (site.saysEffect()) {
    const neededNs = tree.map((ns, frame) => Math.max(0, ns - needlessNs[frame]!))
    const perFrame = calls.map((runs, frame) =>
      tree[frame]! > 0 ? (runs * neededNs[frame]!) / tree[frame]! : 0,
    )
    return { perFrame, neededNs, clears: 'needless' }
  }
  const watches = site.marker.watches.flatMap((id) => study.watches.get(id) ?? [])
  if (watches.length === 0) {
    throw new Refusal(
      `no run of ${site.name} says whether it changed anything, and it watches nothing: nobody knows when it is needed`,
    )
  }
  const perFrame = new Float64Array(site.count)
  for (const { changes } of watches) changes.forEach((times, frame) => (perFrame[frame]! += times))
  // A run, of as many as there are, for each change; what changes while none runs waits for the next.
  let waiting = 0
  const neededNs = tree.map((ns, frame) => {
    waiting += perFrame[frame]!
    const runs = calls[frame]!
    if (runs <= 0) return 0
    const needed = Math.min(runs, waiting)
    waiting = 0
    return (ns * needed) / runs
  })
  return { perFrame, neededNs, clears: null }
}
