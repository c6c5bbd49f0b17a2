import { mean, sum } from '../../stats/index.ts'
import { percent, plural, three } from '../../words/index.ts'
import { choice, number, numberOf } from '../input.ts'
import { outcome, Refusal, type Remedy } from '../remedy.ts'
import { idleShare, idleSorts, type IdleSort } from '../idle.ts'
import { keepWithout } from '../shares.ts'

/** Runs of instances that are idle are dropped, for the price of noticing when they wake. */
export const remedy: Remedy = {
  kind: 'sleep',
  order: 11,
  words: 'sleep',
  about: 'instances that are idle are not run until something wakes them',
  price: 'late wake-ups',
  effort: 'small',
  makes:
    'T less the share of idle runs (needless ones, or asleep, unseen, far as updaters say), `wake` for each idle one every so many frames',
  suggests: '',
  inputs(site) {
    site.demandWork()
    const sorts = idleSorts(site)
    if (sorts.length === 0) {
      throw new Refusal(
        `neither the runs of ${site.name} nor its updaters say that anything is idle: nobody knows what could sleep`,
      )
    }
    return [
      choice('idle', {
        words: 'who sleeps',
        about: 'what the game says of its instances, or of the runs that changed nothing',
        origin: 'measured',
        choices: sorts,
        suggested: sorts[0]!.id,
      }),
      number('wake', {
        words: 'cost of one wake test',
        unit: 'µs',
        about: 'time to see that one instance still sleeps',
        origin: 'assumed',
        suggested: 0.02,
        most: 100_000,
      }),
      number('every', {
        words: 'frames between wake tests',
        about: 'a sleeper is looked at this often; it wakes late by as much',
        origin: 'assumed',
        suggested: 1,
        least: 1,
        most: 600,
        whole: true,
      }),
    ]
  },
  apply(site, values) {
    const sort = values['idle'] as IdleSort
    const every = numberOf(values, 'every')
    const wakeNs = (numberOf(values, 'wake') * 1000) / every
    const idle = idleShare(site, sort)
    const tree = site.treeNs()
    const { calls } = site.columns
    const keep = keepWithout(
      tree,
      tree.map((ns, frame) => ns * idle[frame]!),
    )
    const extraNs = calls.map((runs, frame) => runs * idle[frame]! * wakeNs)
    const late = every - 1
    return outcome([{ path: site.path, keep, extraNs, clears: 'needless' }], {
      price: [late === 0 ? 'a wake test in every frame' : `wakes up to ${plural(late, 'frame')} late`],
      notes: [
        `${percent(sum(idle) / Math.max(1, site.count))} of its runs are ${sort}; ${three(mean(calls))} a frame in all`,
      ],
      latencyFrames: { mean: late / 2, worst: late },
      uses: sort === 'needless' ? [] : [`${site.path} ${sort}`],
    })
  },
}
