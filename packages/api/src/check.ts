/** Checks what came over the wire before anything relies on it. Failures name the field. */
import { asFields, bad, finite, list, readPlace, text, texts, whole, type Fields } from '@lapsus/core/format'
import { count, freeText, moments, MOST, oneOf } from './field-checks.ts'
import {
  JOB_KINDS,
  RECORDING_STATES,
  TAKE_STATES,
  type DemoGame,
  type FileImport,
  type Miniatures,
  type Recording,
  type SessionInfo,
  type SessionState,
  type JobInfo,
  type LeftFile,
  type LoadReport,
  type StorageReport,
  type TakeDetail,
  type TakePicture,
  type TakeSummary,
  type Verification,
} from './types.ts'

function summary(fields: Fields): void {
  text(fields, 'id')
  text(fields, 'game')
  freeText(fields, 'name')
  freeText(fields, 'note')
  texts(fields, 'tags', MOST)
  oneOf(fields, 'state', TAKE_STATES)
  text(fields, 'started')
  finite(fields, 'target', 0)
  asFields(fields['conditions'], 'conditions')
  for (const field of ['frames', 'spans', 'dropped', 'repaired', 'setAside', 'storedBytes'])
    count(fields, field)
  finite(fields, 'durationMs')
  if (fields['figures'] !== null) {
    const figures = asFields(fields['figures'], 'figures')
    const work = asFields(figures['work'], 'work')
    for (const field of ['p50', 'p95', 'p99', 'p999', 'worst']) finite(work, field)
    for (const field of ['over', 'late', 'held']) count(figures, field)
  }
}

export function checkTakeSummary(value: unknown): TakeSummary {
  summary(asFields(value, 'take'))
  return value as TakeSummary
}

export function checkTakes(value: unknown): TakeSummary[] {
  if (!Array.isArray(value)) throw bad('takes', 'an array', value)
  for (const take of value) summary(asFields(take, 'take'))
  return value as TakeSummary[]
}

export function checkPictures(value: unknown): TakePicture[] {
  if (!Array.isArray(value)) throw bad('pictures', 'an array', value)
  for (const item of value) {
    const picture = asFields(item, 'picture')
    text(picture, 'name')
    finite(picture, 'atNs')
    for (const side of ['width', 'height']) count(picture, side)
  }
  return value as TakePicture[]
}

export function checkTake(value: unknown): TakeDetail {
  const fields = asFields(value, 'take')
  summary(fields)
  const markers = list(fields, 'markers', MOST)
  const ids = new Set(
    markers.map((marker) => {
      text(marker, 'name')
      if (marker['at'] !== null) readPlace(asFields(marker['at'], 'at'))
      return count(marker, 'id')
    }),
  )
  for (const lane of list(fields, 'lanes', MOST)) text(lane, 'name')
  for (const named of ['gauges', 'watches', 'classes']) {
    for (const item of list(fields, named, MOST)) text(item, 'name')
  }
  for (const gauge of list(fields, 'gauges', MOST)) {
    if (!Array.isArray(gauge['variants'])) throw bad('variants', 'an array', gauge['variants'])
  }
  list(fields, 'paths', MOST).forEach((path, i) => {
    whole(path, 'parent', -1, i - 1)
    count(path, 'lane')
    if (!ids.has(count(path, 'marker'))) throw bad('marker', 'a declared marker', path['marker'])
  })
  moments(fields)
  if (fields['continues'] !== null) text(fields, 'continues')
  texts(fields, 'continuedBy', MOST)
  for (const problem of list(fields, 'problems', MOST)) {
    text(problem, 'what')
    freeText(problem, 'about')
    count(problem, 'count')
  }
  for (const record of list(fields, 'setAsideRecords', MOST)) {
    count(record, 'sequence')
    freeText(record, 'reason')
  }
  return value as TakeDetail
}

export function checkRecording(value: unknown): Recording {
  const fields = asFields(value, 'recording')
  text(fields, 'id')
  text(fields, 'take')
  oneOf(fields, 'state', RECORDING_STATES)
  finite(fields, 'elapsedS')
  count(fields, 'frames')
  freeText(fields, 'message')
  return value as Recording
}

export function checkRecordings(value: unknown): Recording[] {
  if (!Array.isArray(value)) throw bad('recordings', 'an array', value)
  return value.map(checkRecording)
}

export function checkSession(value: unknown): SessionState {
  const fields = asFields(value, 'session')
  for (const field of ['isNeeded', 'isSignedIn'])
    if (typeof fields[field] !== 'boolean') throw bad(field, 'true or false', fields[field])
  return value as SessionState
}

export function checkSessions(value: unknown): SessionInfo[] {
  for (const session of list({ sessions: value }, 'sessions', MOST)) {
    for (const field of ['id', 'began', 'seenAt', 'until']) text(session, field)
    for (const field of ['address', 'agent']) freeText(session, field)
    if (typeof session['isThis'] !== 'boolean') throw bad('isThis', 'true or false', session['isThis'])
  }
  return value as SessionInfo[]
}

export const checkJobs = (value: unknown): JobInfo[] => list({ jobs: value }, 'jobs', MOST).map(checkJob)

export function checkJob(value: unknown): JobInfo {
  const job = asFields(value, 'job')
  for (const field of ['id', 'asked']) text(job, field)
  freeText(job, 'name')
  oneOf(job, 'kind', JOB_KINDS)
  oneOf(job, 'state', ['waiting', 'running'])
  for (const field of ['bytes', 'frames']) finite(job, field)
  for (const field of ['ofBytes', 'ofFrames', 'secondsLeft']) if (job[field] !== null) finite(job, field)
  return value as JobInfo
}

export function checkVerification(value: unknown): Verification {
  const fields = asFields(value, 'verification')
  text(fields, 'take')
  for (const field of ['records', 'chunks', 'bytes', 'unnotedChunks', 'problemCount']) count(fields, field)
  if (typeof fields['isSent'] !== 'boolean') throw bad('isSent', 'true or false', fields['isSent'])
  texts(fields, 'problems', MOST)
  return value as Verification
}

export function checkLeft(value: unknown): LeftFile[] {
  for (const file of list({ left: value }, 'left', MOST)) {
    for (const field of ['file', 'take', 'at', 'reason']) text(file, field, undefined, 1_000)
    if (file['game'] !== null) freeText(file, 'game')
    count(file, 'bytes')
  }
  return value as LeftFile[]
}

export function checkStorage(value: unknown): StorageReport {
  const fields = asFields(value, 'storage')
  for (const field of ['takes', 'bytes', 'keptTakes', 'keptBytes']) count(fields, field)
  for (const field of ['keepDays', 'keepBytes']) if (fields[field] !== null) finite(fields, field, 0)
  return value as StorageReport
}

export function checkLoad(value: unknown): LoadReport {
  const fields = asFields(value, 'load')
  for (const one of list(fields, 'threads', MOST)) {
    text(one, 'kind')
    for (const field of ['threads', 'inHand', 'waiting']) count(one, field)
  }
  const late = asFields(fields['late'], 'late')
  for (const field of ['p99Ms', 'mostMs']) finite(late, field, 0)
  count(fields, 'memoryBytes')
  return value as LoadReport
}

export function checkDemoGame(value: unknown): DemoGame {
  const fields = asFields(value, 'demo game')
  text(fields, 'name')
  for (const flaw of list(fields, 'flaws', MOST)) {
    text(flaw, 'id')
    if (typeof flaw['switched'] !== 'boolean') throw bad('switched', 'true or false', flaw['switched'])
  }
  asFields(fields['defaults'], 'defaults')
  asFields(fields['limits'], 'limits')
  return value as DemoGame
}

export function checkImport(value: unknown): FileImport {
  const fields = asFields(value, 'import')
  for (const one of [fields, ...list(fields, 'others', MOST)]) {
    text(one, 'take')
    count(one, 'frames')
  }
  return value as FileImport
}

export function checkMiniatures(value: unknown): Miniatures {
  for (const [take, miniature] of Object.entries(asFields(value, 'miniatures'))) {
    const fields = asFields(miniature, take)
    for (const column of ['worstUs', 'medianUs'])
      if (!Array.isArray(fields[column]) || !fields[column].every(Number.isFinite))
        throw bad(column, 'an array of numbers', fields[column])
  }
  return value as Miniatures
}
