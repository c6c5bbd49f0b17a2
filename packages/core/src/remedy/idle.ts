/** What of a path's runs is for instances that need none. */
import { sum } from '../stats/index.ts'
import type { Site } from './site.ts'

const FLAGS = ['asleep', 'unseen', 'far'] as const
export type IdleFlag = (typeof FLAGS)[number]
export type IdleSort = IdleFlag | 'needless'

const WORDS: Record<IdleSort, string> = {
  needless: 'whose runs change nothing',
  asleep: 'asleep',
  unseen: 'unseen',
  far: 'far away',
}

/** The sorts of idleness that the take knows of here, what the runs themselves say first. */
export function idleSorts(site: Site): { id: IdleSort; words: string }[] {
  const updaters = site.updaters()
  const flags = FLAGS.filter((flag) => sum(known(updaters?.[flag])) > 0)
  const sorts: IdleSort[] = sum(site.columns.needlessNs) > 0 ? ['needless', ...flags] : flags
  return sorts.map((id) => ({ id, words: WORDS[id] }))
}

/** By frame, 0 to 1; 0 where another remedy has made use of it already. */
export function idleShare(site: Site, sort: IdleSort): Float64Array {
  const share = new Float64Array(site.count)
  if (sort === 'needless') {
    const tree = site.treeNs()
    const { needlessNs } = site.columns
    return share.map((_, frame) => (tree[frame]! > 0 ? Math.min(1, needlessNs[frame]! / tree[frame]!) : 0))
  }
  const updaters = site.updaters()
  if (updaters === undefined || site.replay.used.has(`${site.path} ${sort}`)) return share
  return share.map((_, frame) => {
    const enabled = updaters.enabled[frame]!
    return enabled > 0 && updaters[sort][frame]! > 0 ? Math.min(1, updaters[sort][frame]! / enabled) : 0
  })
}

const known = (values: Float64Array | undefined) => values?.filter((value) => !Number.isNaN(value))
