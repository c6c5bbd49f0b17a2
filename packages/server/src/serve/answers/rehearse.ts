import { gatherEvidence } from '@lapsus/core/detect'
import { answer } from '@lapsus/core/questions'
import { DIAGNOSIS } from '@lapsus/core/questions/diagnosis'
import { Op } from 'sequelize'
import { sourceOf } from './stored-source.ts'
import type { Sources } from './studies.ts'

const MOST_FRAMES = 4_096

/** On this thread. */
let isDone = false

/**
 * Diagnoses a few frames of what came last, for nobody: the first time that a thread does so, half of it is making its
 * code ready. While a game records there is time for that; when it ends somebody waits.
 * @returns whether it has been done
 */
export async function rehearse(sources: Sources): Promise<boolean> {
  if (isDone) return true
  const { store, studies } = sources
  const row = await store.takes.findOne({
    where: { frames: { [Op.gt]: 0 }, deletedAt: null },
    order: [['touchedAt', 'DESC']],
  })
  if (row === null) return false
  isDone = true
  const range = { from: 0, to: Math.min(MOST_FRAMES, Number(row.frames)) - 1 }
  const query = { range, target: row.target, withoutRecorder: false }
  const source = await sourceOf(sources, row, query)
  const evidence = async () => gatherEvidence(await studies.part(row, query))
  await answer(DIAGNOSIS, { ...source, evidence }, {})
  return true
}
