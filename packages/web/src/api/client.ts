/** Everything the pages ask of the server. Answers are checked before they are used. */
import type { FindingMark } from '@lapsus/core/questions/diagnosis'
import {
  checkBudgets,
  checkDemoGame,
  checkImport,
  checkLive,
  checkPlan,
  checkPlans,
  checkRecording,
  checkRecordings,
  checkSession,
  checkStorage,
  checkTake,
  checkTakes,
  checkTakeSummary,
  type ExcerptRequest,
  type GroupBudgets,
  type ImportResult,
  type Problem,
  type RecordingRequest,
} from '@lapsus/api'
import type { ExportFormat } from '@lapsus/core/exchange'
import { planToJson, type Plan } from '@lapsus/core/remedy'
import {
  readAnswer,
  travelsAsCbor,
  type Answer,
  type Question,
  type Shape,
  type Told,
} from '@lapsus/core/questions'
import { readMarks } from '@lapsus/core/questions/diagnosis'
import { decodeFrames } from '@lapsus/core/take'
import { untilBack } from '../state/connection.ts'
import { useSession } from '../state/session.ts'

/** What the server, or the way to it, says is wrong; its message is fit to show. */
export class RequestError extends Error {
  readonly status: number
  constructor(status: number, message: string) {
    super(message)
    this.status = status
  }
}

const NO_ANSWER = 'The server does not answer. Is Lapsus still running?'
/** The database is away. */
const AWAY = 503
const SESSION = '/api/session'

async function send(path: string, init: RequestInit = {}): Promise<Response> {
  for (;;) {
    let response: Response | null
    try {
      response = await fetch(path, init)
    } catch (error) {
      if ((error as Error).name === 'AbortError') throw error
      response = null
    }
    if (response?.ok) return response
    const problem = (await response?.json().catch(() => null)) as Problem | null
    const error = new RequestError(
      response?.status ?? 0,
      response === null ? NO_ANSWER : (problem?.detail ?? `The server answered ${response.status}.`),
    )
    if (error.status === 401 && path !== SESSION) useSession.setState({ mustSignIn: true })
    const isAway = error.status === 0 || error.status === AWAY
    // What only asks is asked again; what changes something is for whoever asked to decide.
    if (!isAway || (init.method ?? 'GET') !== 'GET') throw error
    await untilBack(error.message)
    if (init.signal?.aborted) throw new DOMException('not wanted any more', 'AbortError')
  }
}

const json = async (path: string, init?: RequestInit): Promise<unknown> => (await send(path, init)).json()
const binary = async (path: string, init?: RequestInit) =>
  new Uint8Array(await (await send(path, init)).arrayBuffer())
const withBody = (method: string, body: unknown): RequestInit => ({
  method,
  headers: { 'content-type': 'application/json' },
  body: JSON.stringify(body),
})
/** Bytes; letters may take several. */
const MOST_KEPT_ALIVE = 16_000
const take = (id: string) => `/api/takes/${encodeURIComponent(id)}`
const plan = (id: string) => `/api/plans/${encodeURIComponent(id)}`

/** Which frames of a take a question is about, and how they are judged. */
export interface FramesQuery {
  from: number
  to: number
  /** Frames a second. */
  target: number
  withoutRecorder: boolean
}

/**
 * Asks a question about a take.
 * @param frames which it is about; null for a question that is about none
 */
async function ask<A extends Shape, T extends Shape>(
  question: Question<A, T>,
  takeId: string,
  frames: FramesQuery | null,
  asked: Told<A>,
  signal?: AbortSignal,
): Promise<Answer<Question<A, T>>> {
  const params = new URLSearchParams()
  if (frames !== null) {
    for (const name of ['from', 'to', 'target'] as const) params.set(name, String(frames[name]))
    params.set('recorder', frames.withoutRecorder ? 'without' : 'as-recorded')
  }
  let path: string = question.at
  for (const [name, value] of Object.entries(asked)) {
    if (value === undefined) continue
    if (path.includes(`:${name}`)) path = path.replace(`:${name}`, encodeURIComponent(String(value)))
    else params.set(name, String(value))
  }
  const address = `${take(takeId)}/${path}?${params}`
  const sent = travelsAsCbor(question) ? await binary(address, { signal }) : await json(address, { signal })
  return readAnswer(question as Question, sent) as Answer<Question<A, T>>
}

export const api = {
  takes: async (filter: Record<string, string> = {}) =>
    checkTakes(await json(`/api/takes?${new URLSearchParams(filter)}`)),
  deletedTakes: async () => checkTakes(await json('/api/deleted-takes')),
  take: async (id: string, signal?: AbortSignal) => checkTake(await json(take(id), { signal })),
  frames: async (id: string, signal?: AbortSignal) =>
    decodeFrames(await binary(`${take(id)}/frames`, { signal })),
  ask,
  markFinding: async (id: string, finding: string, mark: FindingMark['mark'] | null, reason: string) =>
    readMarks(await json(`${take(id)}/marks`, withBody('PUT', { finding, mark, reason }))),
  plans: async (takeId: string) => checkPlans(await json(`${take(takeId)}/plans`)),
  plan: async (id: string) => checkPlan(await json(plan(id))),
  /** @param sent a plan, or what somebody believes to be one */
  createPlan: async (takeId: string, sent: unknown) =>
    checkPlan(await json(`${take(takeId)}/plans`, withBody('POST', sent))),
  changePlan: async (id: string, revision: number, changed: Plan) => {
    const init = withBody('PUT', { revision, plan: planToJson(changed) })
    // So that it arrives though the page is left; browsers allow that for small bodies only.
    const keepalive = (init.body as string).length < MOST_KEPT_ALIVE
    return checkPlan(await json(plan(id), { ...init, keepalive }))
  },
  deletePlan: (id: string) => send(plan(id), { method: 'DELETE' }),
  restorePlan: async (id: string) => checkPlan(await json(`${plan(id)}/restore`, { method: 'POST' })),
  budgets: async (id: string) => checkBudgets(await json(`${take(id)}/budgets`)),
  setBudgets: async (id: string, budgets: GroupBudgets) =>
    checkBudgets(await json(`${take(id)}/budgets`, withBody('PUT', budgets))),
  live: async (id: string, from: number, signal?: AbortSignal) =>
    checkLive(await binary(`${take(id)}/live?from=${from}`, { signal })),
  stopTake: (id: string) => send(`${take(id)}/stop`, { method: 'POST' }),
  discardTake: (id: string) => send(`${take(id)}/discard`, { method: 'POST' }),
  keepLast: (id: string, cause: string) => send(`${take(id)}/keep`, withBody('POST', { cause })),
  excerpt: async (id: string, request: ExcerptRequest) =>
    checkTakeSummary(await json(`${take(id)}/excerpts`, withBody('POST', request))),
  changeTake: (id: string, change: { name?: string; note?: string; tags?: string[] }) =>
    send(take(id), withBody('PATCH', change)),
  deleteTake: (id: string) => send(take(id), { method: 'DELETE' }),
  restoreTake: (id: string) => send(`${take(id)}/restore`, { method: 'POST' }),
  fileAddress: (id: string, format: ExportFormat = 'lapsus') => `${take(id)}/file?format=${format}`,
  importFile,
  session: async () => checkSession(await json(SESSION)),
  signOut: () => send(SESSION, { method: 'DELETE' }),
  signIn: (password: string) => send(SESSION, withBody('POST', { password })),
  storage: async () => checkStorage(await json('/api/storage')),
  setAsideAddress: (id: string, sequence: number) => `${take(id)}/set-aside/${sequence}`,
  demoGame: async () => checkDemoGame(await json('/api/demo-game')),
  recordings: async () => checkRecordings(await json('/api/recordings')),
  recording: async (id: string) => checkRecording(await json(`/api/recordings/${id}`)),
  startRecording: async (request: RecordingRequest) =>
    checkRecording(await json('/api/recordings', withBody('POST', request))),
  stopRecording: async (id: string) =>
    checkRecording(await json(`/api/recordings/${id}/stop`, { method: 'POST' })),
}

/**
 * Sends a file. Through XMLHttpRequest, since fetch does not tell how much of a body has been sent.
 * @param onProgress told the share that has been sent, from 0 to 1
 */
function importFile(
  file: File,
  frameMarker: string,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<ImportResult> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    const query = new URLSearchParams(frameMarker === '' ? {} : { frameMarker })
    request.open('POST', `/api/imports?${query}`)
    request.setRequestHeader('content-type', 'application/octet-stream')
    request.upload.onprogress = ({ loaded, total }) => onProgress(total === 0 ? 1 : loaded / total)
    request.onload = () => {
      try {
        const body: unknown = JSON.parse(request.responseText)
        if (request.status < 300) resolve(checkImport(body))
        else reject(new RequestError(request.status, (body as Problem).detail))
      } catch (error) {
        reject(error as Error)
      }
    }
    request.onerror = () => reject(new RequestError(0, NO_ANSWER))
    request.onabort = () => reject(new DOMException('cancelled', 'AbortError'))
    signal.addEventListener('abort', () => request.abort())
    request.send(file)
  })
}
