/** Everything the pages ask of the server. Answers are checked before they are used. */
import {
  checkDemoGame,
  checkImport,
  checkLedger,
  checkPage,
  checkRecording,
  checkRecordings,
  checkTake,
  checkTakes,
  type Problem,
  type RecordingRequest,
} from '@lapsus/api'
import type { LedgerBy } from '@lapsus/core/rollup'
import { decodeFrames } from '@lapsus/core/take'

/** What the server, or the way to it, says is wrong; its message is fit to show. */
export class RequestError extends Error {
  readonly status: number
  constructor(status: number, message: string) {
    super(message)
    this.status = status
  }
}

async function send(path: string, init: RequestInit = {}): Promise<Response> {
  let response: Response
  try {
    response = await fetch(path, init)
  } catch (error) {
    if ((error as Error).name === 'AbortError') throw error
    throw new RequestError(0, 'The server does not answer. Is Lapsus still running?')
  }
  if (response.ok) return response
  const problem = (await response.json().catch(() => null)) as Problem | null
  throw new RequestError(response.status, problem?.detail ?? `The server answered ${response.status}.`)
}

const json = async (path: string, init?: RequestInit): Promise<unknown> => (await send(path, init)).json()
const binary = async (path: string, init?: RequestInit) =>
  new Uint8Array(await (await send(path, init)).arrayBuffer())
const withBody = (method: string, body: unknown): RequestInit => ({
  method,
  headers: { 'content-type': 'application/json' },
  body: JSON.stringify(body),
})
const take = (id: string) => `/api/takes/${encodeURIComponent(id)}`

export const api = {
  takes: async () => checkTakes(await json('/api/takes')),
  take: async (id: string, signal?: AbortSignal) => checkTake(await json(take(id), { signal })),
  frames: async (id: string, signal?: AbortSignal) =>
    decodeFrames(await binary(`${take(id)}/frames`, { signal })),
  page: async (id: string, frame: number, signal?: AbortSignal) =>
    checkPage(await binary(`${take(id)}/pages/${frame}`, { signal })),
  ledger: async (id: string, from: number, to: number, by: LedgerBy, signal?: AbortSignal) =>
    checkLedger(await json(`${take(id)}/ledger?from=${from}&to=${to}&by=${by}`, { signal })),
  changeTake: (id: string, change: { name?: string; note?: string }) =>
    send(take(id), withBody('PATCH', change)),
  deleteTake: (id: string) => send(take(id), { method: 'DELETE' }),
  restoreTake: (id: string) => send(`${take(id)}/restore`, { method: 'POST' }),
  fileAddress: (id: string) => `${take(id)}/file`,
  importFile: async (file: File) =>
    checkImport(
      await json('/api/imports', {
        method: 'POST',
        body: file,
        headers: { 'content-type': 'application/octet-stream' },
      }),
    ),
  demoGame: async () => checkDemoGame(await json('/api/demo-game')),
  recordings: async () => checkRecordings(await json('/api/recordings')),
  recording: async (id: string) => checkRecording(await json(`/api/recordings/${id}`)),
  startRecording: async (request: RecordingRequest) =>
    checkRecording(await json('/api/recordings', withBody('POST', request))),
  stopRecording: async (id: string) =>
    checkRecording(await json(`/api/recordings/${id}/stop`, { method: 'POST' })),
}
