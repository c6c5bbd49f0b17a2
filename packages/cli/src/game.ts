/** What the running Lapsus says of a game: over weeks, over devices, and what was tried. */
import { checkTried, type Tried } from '@lapsus/api'
import type { Devices, HistoryLine } from '@lapsus/core/history'
import { saidIn, tableLines } from '@lapsus/core/words'
import { request, serverAddress } from './server.ts'

async function asked(what: string, query: Record<string, string>): Promise<unknown> {
  const response = await request(`${await serverAddress()}/api/${what}?${new URLSearchParams(query)}`)
  return response.json()
}

export const history = async (game: string): Promise<HistoryLine[]> =>
  ((await asked('history', { game })) as { lines: HistoryLine[] }).lines

/** Each take of each line with its figures, as rows of one table. */
export const historyTakes = (lines: readonly HistoryLine[]): object[] =>
  lines.flatMap(({ about, takes, figures, speed }) =>
    takes.map((take, i) => ({
      ...{ about, ...take, machine: speed[i] },
      ...Object.fromEntries(figures.map(({ name, values }) => [name, values[i]])),
    })),
  )

export const devices = async (game: string): Promise<Devices> => (await asked('devices', { game })) as Devices

export const tried = async (game: string, search: string): Promise<Tried> =>
  checkTried(await asked('tried', { game, search }))

/** @param markdown as Markdown tables; else in columns */
export function triedReport({ items, comparisons }: Tried, markdown = false): string {
  if (items.length === 0 && comparisons.length === 0) return 'Nothing like that was tried.'
  const rows = items.map(({ changed, planName, number, words, path, state, reason, proof }) => [
    changed.slice(0, 10),
    `${planName || 'a plan'}, ${number}`,
    `${words}: ${path.join(' > ') || 'whole frames'}`,
    reason === '' ? state : `${state}: ${reason}`,
    proof.join(', '),
  ])
  const kept = comparisons.map(
    ({ at, sentence }) => `${markdown ? '- ' : ''}${at.slice(0, 10)} ${saidIn(markdown)(sentence)}`,
  )
  return [
    ...(rows.length === 0 ? [] : tableLines(['date', 'plan', 'what', 'came of it', 'proof'], rows, markdown)),
    ...(kept.length === 0 ? [] : ['', ...kept]),
  ].join('\n')
}
