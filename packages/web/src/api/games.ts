/** What is said of a game as a whole. Answers are checked before they are used. */
import { checkDevices, checkHistory, checkTried } from '@lapsus/api'
import { json, send, withBody } from './http.ts'

const about = (what: string, query: Record<string, string>) => `/api/${what}?${new URLSearchParams(query)}`

export const gamesApi = {
  history: async (game: string, signal?: AbortSignal) =>
    checkHistory(await json(about('history', { game }), { signal })),
  devices: async (game: string, signal?: AbortSignal) =>
    checkDevices(await json(about('devices', { game }), { signal })),
  tried: async (game: string, search: string, signal?: AbortSignal) =>
    checkTried(await json(about('tried', { game, search }), { signal })),
  keepComparison: (kept: { before: string[]; after: string[]; sentence: string }) =>
    send('/api/kept-comparisons', withBody('POST', kept)),
  dropComparison: (id: string) =>
    send(`/api/kept-comparisons/${encodeURIComponent(id)}`, { method: 'DELETE' }),
}
