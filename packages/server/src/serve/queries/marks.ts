import type { FindingMark } from '@lapsus/core/questions/diagnosis'
import { createHash } from 'node:crypto'
import type { Store } from '../../store/store.ts'

/** What people marked in a game's takes, last first. */
export async function listMarks(store: Store, gameId: number): Promise<FindingMark[]> {
  const rows = await store.findingMarks.findAll({ where: { gameId }, order: [['at', 'DESC']] })
  return rows.map(({ finding, mark, reason, at }) => ({
    finding,
    mark: mark as FindingMark['mark'],
    reason,
    at: at.toISOString(),
  }))
}

const hashOf = (finding: string): string => createHash('sha256').update(finding).digest('hex')

/** Marks a finding in all takes of a game. @param mark null takes the mark away */
export async function markFinding(
  store: Store,
  gameId: number,
  { finding, mark, reason }: { finding: string; mark: FindingMark['mark'] | null; reason: string },
): Promise<void> {
  const findingHash = hashOf(finding)
  if (mark === null) await store.findingMarks.destroy({ where: { gameId, findingHash } })
  else await store.findingMarks.upsert({ gameId, findingHash, finding, mark, reason, at: new Date() })
}
