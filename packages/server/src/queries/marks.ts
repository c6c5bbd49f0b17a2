import { createHash } from 'node:crypto'
import type { FindingMark } from '@lapsus/api'
import { FindingMarkRow } from '../database/models.ts'

/** What people marked in a game's takes, last first. */
export async function listMarks(gameId: number): Promise<FindingMark[]> {
  const rows = await FindingMarkRow.findAll({ where: { gameId }, order: [['at', 'DESC']] })
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
  gameId: number,
  { finding, mark, reason }: { finding: string; mark: FindingMark['mark'] | null; reason: string },
): Promise<void> {
  const findingHash = hashOf(finding)
  if (mark === null) await FindingMarkRow.destroy({ where: { gameId, findingHash } })
  else await FindingMarkRow.upsert({ gameId, findingHash, finding, mark, reason, at: new Date() })
}
