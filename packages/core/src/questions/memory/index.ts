/** Where memory goes. */
import { instancesOf, memoryOf, type Evidence } from '../../detect/index.ts'
import { question, type Answer } from '../question.ts'
import type { Told } from '../shape.ts'
import { collectionReports } from './collection-reports.ts'
import { MEMORY_TELLS, verifyMemory } from './tells.ts'

export * from './collection-reports.ts'
export { COLLECTION, type CollectionReport } from './tells.ts'

/** The most of one collection's blame that is told. */
const MOST_BLAMED = 6

function answerOf(evidence: Evidence): Told<typeof MEMORY_TELLS> {
  const { study } = evidence
  const { collections, classes, allocators, ...memory } = memoryOf(evidence)
  const alive = new Map(instancesOf(study).map((series) => [series.class, series.alive]))
  return {
    ...memory,
    kinds: collectionReports(evidence, collections),
    collections: evidence.collections.map(({ frame, kind, pauseNs, blame }) => {
      const all = blame.reduce((sum, { bytes }) => sum + bytes, 0)
      const most = blame
        .slice(0, MOST_BLAMED)
        .map(({ path, bytes }) => ({ pathId: path, share: bytes / all }))
      return { frame: frame + study.firstFrame, kind, pauseMs: pauseNs / 1e6, blame: most }
    }),
    allocators: allocators.map((one) => ({ ...one, worstFrame: one.worstFrame + study.firstFrame })),
    classes: classes.map((one) => ({ ...one, alive: alive.get(one.class)! })),
  }
}

export const MEMORY = question({
  name: 'memory',
  version: 1,
  about: 'The heap over the frames, who allocates, what is collected, what only grows.',
  at: 'memory',
  ofFrames: true,
  asks: {},
  tells: MEMORY_TELLS,
  answer: async (source) => answerOf(await source.evidence()),
  verify: verifyMemory,
})

export type MemoryAnswer = Answer<typeof MEMORY>
