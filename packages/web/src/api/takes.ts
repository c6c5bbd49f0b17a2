/** Takes, recordings of the demo game, and who is signed in. Answers are checked before they are used. */
import {
  checkDemoGame,
  checkImport,
  checkJobs,
  checkLeft,
  checkLoad,
  checkMiniatures,
  checkPictures,
  checkRecording,
  checkRecordings,
  checkSession,
  checkSessions,
  checkStorage,
  checkTake,
  checkTakes,
  checkTakeSummary,
  checkVerification,
  type ExcerptRequest,
  type FileImport,
  type Problem,
  type RecordingRequest,
} from '@lapsus/api'
import type { ExportFormat } from '@lapsus/core/exchange'
import { json, NO_ANSWER, RequestError, send, SESSION, takeAt, withBody } from './http.ts'

export const api = {
  takes: async (filter: Record<string, string>, signal?: AbortSignal) =>
    checkTakes(await json(`/api/takes?${new URLSearchParams(filter)}`, { signal })),
  deletedTakes: async () => checkTakes(await json('/api/deleted-takes')),
  take: async (id: string, signal?: AbortSignal) => checkTake(await json(takeAt(id), { signal })),
  pictures: async (id: string) => checkPictures(await json(`${takeAt(id)}/pictures`)),
  pictureAddress: (id: string, name: string) => `${takeAt(id)}/pictures/${encodeURIComponent(name)}`,
  verify: async (id: string) => checkVerification(await json(`${takeAt(id)}/verification`)),
  stopTake: (id: string) => send(`${takeAt(id)}/stop`, { method: 'POST' }),
  discardTake: (id: string) => send(`${takeAt(id)}/discard`, { method: 'POST' }),
  keepLast: (id: string, cause: string) => send(`${takeAt(id)}/keep`, withBody('POST', { cause })),
  excerpt: async (id: string, request: ExcerptRequest) =>
    checkTakeSummary(await json(`${takeAt(id)}/excerpts`, withBody('POST', request))),
  changeTake: (id: string, change: { name?: string; note?: string; tags?: string[] }) =>
    send(takeAt(id), withBody('PATCH', change)),
  deleteTake: (id: string) => send(takeAt(id), { method: 'DELETE' }),
  restoreTake: (id: string) => send(`${takeAt(id)}/restore`, { method: 'POST' }),
  fileAddress: (id: string, format: ExportFormat = 'lapsus') => `${takeAt(id)}/file?format=${format}`,
  miniatures: async (ids: readonly string[]) =>
    checkMiniatures(await json(`/api/miniatures?takes=${ids.map(encodeURIComponent).join(',')}`)),
  archiveAddress: (ids: readonly string[]) => `/api/archives?takes=${ids.map(encodeURIComponent).join(',')}`,
  composite: async (takes: readonly string[], name: string) =>
    checkTakeSummary(await json('/api/composites', withBody('POST', { takes, name }))),
  importFile,
  session: async () => checkSession(await json(SESSION)),
  sessions: async () => checkSessions(await json('/api/sessions')),
  endSession: (id: string) => send(`/api/sessions/${id}`, { method: 'DELETE' }),
  signOutEverywhere: () => send('/api/sessions', { method: 'DELETE' }),
  signOut: () => send(SESSION, { method: 'DELETE' }),
  signIn: (password: string) => send(SESSION, withBody('POST', { password })),
  load: async () => checkLoad(await json('/api/load')),
  storage: async () => checkStorage(await json('/api/storage')),
  setAsideAddress: (id: string, sequence: number) => `${takeAt(id)}/set-aside/${sequence}`,
  left: async () => checkLeft(await json('/api/left')),
  bringIn: (file: string) => send(leftAt(file), { method: 'POST' }),
  dropLeft: (file: string) => send(leftAt(file), { method: 'DELETE' }),
  jobs: async () => checkJobs(await json('/api/jobs')),
  stopJob: (id: string) => send(`/api/jobs/${id}`, { method: 'DELETE' }),
  demoGame: async () => checkDemoGame(await json('/api/demo-game')),
  recordings: async () => checkRecordings(await json('/api/recordings')),
  recording: async (id: string) => checkRecording(await json(`/api/recordings/${id}`)),
  startRecording: async (request: RecordingRequest) =>
    checkRecording(await json('/api/recordings', withBody('POST', request))),
  stopRecording: async (id: string) =>
    checkRecording(await json(`/api/recordings/${id}/stop`, { method: 'POST' })),
}

const leftAt = (file: string): string => `/api/left/${encodeURIComponent(file)}`

/**
 * Sends a file. Through XMLHttpRequest, since fetch does not tell how much of a body has been sent.
 * @param job the number that it is to have among the server's jobs
 * @param onProgress told the share that has been sent, from 0 to 1
 */
function importFile(
  file: File,
  frameMarker: string,
  job: string,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<FileImport> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    const query = new URLSearchParams(frameMarker === '' ? {} : { frameMarker })
    request.open('POST', `/api/imports?${query}`)
    request.setRequestHeader('content-type', 'application/octet-stream')
    request.setRequestHeader('Lapsus-Job', job)
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
