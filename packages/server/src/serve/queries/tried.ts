/** What was tried in a game: its plans item by item, and the comparisons that were kept. */
import { randomUUID } from 'node:crypto'
import type { KeptComparison, Tried, TriedItem } from '@lapsus/api'
import { planFromJson, REMEDIES } from '@lapsus/core/remedy'
import type { Store } from '../../store/store.ts'

/** Last changed first. @param search words that must all be somewhere in an item or a comparison */
export async function listTried(store: Store, gameId: number, search: string): Promise<Tried> {
  const plans = await store.plans.findAll({
    where: { gameId, deletedAt: null },
    order: [['changedAt', 'DESC']],
    raw: true,
  })
  const items = plans.flatMap((row): TriedItem[] =>
    planFromJson(JSON.parse(row.body)).plan.items.map((item, i) => ({
      ...{ plan: row.id, planName: row.name, take: row.takeId, number: i + 1 },
      ...{ remedy: item.remedy, words: REMEDIES[item.remedy].words, path: item.path, subject: item.subject },
      ...{ state: item.state, reason: item.reason, note: item.note, who: item.who, proof: item.proof },
      changed: row.changedAt.toISOString(),
    })),
  )
  const comparisons = await store.comparisons.findAll({
    where: { gameId },
    order: [['at', 'DESC']],
    raw: true,
  })
  const fits = fitting(search)
  return {
    items: items.filter(({ remedy, words, path, subject, state, reason, note, who, planName }) =>
      fits([remedy, words, ...path, subject, state, reason, note, who, planName]),
    ),
    comparisons: comparisons.map(comparisonOf).filter(({ sentence }) => fits([sentence])),
  }
}

function fitting(search: string): (texts: readonly string[]) => boolean {
  const words = search
    .toLowerCase()
    .split(/\s+/)
    .filter((word) => word !== '')
  return (texts) => {
    const all = texts.join('\n').toLowerCase()
    return words.every((word) => all.includes(word))
  }
}

export async function keepComparison(
  store: Store,
  gameId: number,
  { before, after, sentence }: { before: string[]; after: string[]; sentence: string },
): Promise<KeptComparison> {
  const row = await store.comparisons.create({
    ...{ id: randomUUID(), gameId, sentence, at: new Date() },
    ...{ beforeTakes: JSON.stringify(before), afterTakes: JSON.stringify(after) },
  })
  return comparisonOf(row)
}

/** @returns false where there is none of that name */
export const dropComparison = async (store: Store, id: string): Promise<boolean> =>
  (await store.comparisons.destroy({ where: { id } })) > 0

const comparisonOf = ({
  id,
  beforeTakes,
  afterTakes,
  sentence,
  at,
}: {
  id: string
  beforeTakes: string
  afterTakes: string
  sentence: string
  at: Date
}): KeptComparison => ({
  ...{ id, sentence, at: at.toISOString() },
  before: JSON.parse(beforeTakes) as string[],
  after: JSON.parse(afterTakes) as string[],
})
