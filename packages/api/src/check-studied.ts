/** Checks of answers that are worked out from a take's courses. Failures name the field. */
import { asFields, bad, decodeCbor, finite, list, text, texts, whole, type Fields } from '@lapsus/core/format'
import { CONFIDENCES, EVIDENCE_VIEWS, FINDING_KINDS, LAWS, WHYS } from '@lapsus/core/detect'
import { freeText, MOST, oneOf } from './fields.ts'
import {
  FINDING_MARKS,
  type CourseResponse,
  type DiagnosisResponse,
  type FindingMark,
  type MemoryResponse,
  type RosterResponse,
  type ScalingResponse,
  type WaitingResponse,
} from './types.ts'

function studied(value: unknown, name: string): Fields {
  const fields = asFields(value, name)
  whole(fields, 'from', 0, MOST)
  whole(fields, 'to', -1, MOST)
  finite(fields, 'target', 0)
  return fields
}

/** A column that is decoded as it should be: CBOR keeps the width of numbers, not their kind. */
function column(fields: Fields, field: string, length?: number): Float64Array {
  const found = fields[field]
  if (!ArrayBuffer.isView(found)) throw bad(field, 'a typed array', found)
  const values = new Float64Array(found as unknown as ArrayLike<number>)
  if (length !== undefined && values.length !== length) throw bad(field, `${length} elements`, values.length)
  return values
}

export function checkDiagnosis(value: unknown): DiagnosisResponse {
  const fields = studied(value, 'diagnosis')
  for (const finding of list(fields, 'findings', MOST)) {
    freeText(finding, 'id')
    freeText(finding, 'text')
    oneOf(finding, 'kind', FINDING_KINDS)
    oneOf(finding, 'view', EVIDENCE_VIEWS)
    oneOf(finding, 'confidence', CONFIDENCES)
    oneOf(finding, 'trouble', ['floor', 'spike'])
    texts(finding, 'path', MOST)
    for (const figure of ['costMsPerFrame', 'recoverableMsPerFrame', 'recoverableMsWhereItStrikes']) {
      finite(finding, figure)
    }
  }
  for (const spike of list(fields, 'spikes', MOST)) {
    for (const frame of ['frame', 'fromFrame', 'toFrame', 'typicalFrame']) whole(spike, frame, 0, MOST)
    for (const figure of ['workMs', 'durationMs', 'excessMs', 'severityMs']) finite(spike, figure)
    for (const cause of list(spike, 'causes', MOST)) oneOf(cause, 'why', WHYS)
  }
  for (const family of list(fields, 'families', MOST)) whole(family, 'spikes', 2, MOST)
  checkMarks(fields['marks'])
  return value as DiagnosisResponse
}

export function checkMarks(value: unknown): FindingMark[] {
  if (!Array.isArray(value)) throw bad('marks', 'an array', value)
  for (const mark of value) {
    const fields = asFields(mark, 'mark')
    freeText(fields, 'finding')
    oneOf(fields, 'mark', FINDING_MARKS)
  }
  return value as FindingMark[]
}

export function checkMemory(bytes: Uint8Array): MemoryResponse {
  const fields = studied(decodeCbor(bytes), 'memory')
  const allocated = column(fields, 'allocated')
  const heap = fields['heap'] === null ? null : column(fields, 'heap', allocated.length)
  for (const collection of list(fields, 'collections', MOST)) finite(collection, 'pauseMs')
  for (const kind of list(fields, 'kinds', MOST)) text(kind, 'kind')
  list(fields, 'allocators', MOST)
  list(fields, 'growing', MOST)
  const classes = list(fields, 'classes', MOST).map((one) => ({
    ...one,
    alive: column(one, 'alive', allocated.length),
  }))
  return {
    ...(fields as unknown as MemoryResponse),
    allocated,
    heap,
    classes: classes as MemoryResponse['classes'],
  }
}

export function checkRoster(value: unknown): RosterResponse {
  for (const row of list(studied(value, 'roster'), 'rows', MOST)) {
    text(row, 'name')
    oneOf(row, 'sort', ['updater', 'marker'])
    for (const figure of ['runsPerSecond', 'msPerFrame', 'msPerHour']) finite(row, figure)
  }
  return value as RosterResponse
}

export function checkScaling(value: unknown): ScalingResponse {
  const fields = studied(value, 'scaling')
  for (const load of list(fields, 'loads', MOST)) text(load, 'id')
  texts(fields, 'chosen', 2)
  for (const point of list(fields, 'points', MOST)) {
    finite(point, 'load')
    finite(point, 'costMs')
  }
  for (const fit of list(fields, 'fits', MOST)) oneOf(fit, 'law', LAWS)
  return value as ScalingResponse
}

export function checkWaiting(value: unknown): WaitingResponse {
  const fields = studied(value, 'waiting')
  for (const figure of ['frames', 'over', 'held']) whole(fields, figure, 0, MOST)
  list(fields, 'paths', MOST)
  list(fields, 'steps', MOST)
  return value as WaitingResponse
}

export function checkCourse(bytes: Uint8Array): CourseResponse {
  const fields = studied(decodeCbor(bytes), 'course')
  const calls = column(fields, 'calls')
  const selfNs = column(fields, 'selfNs', calls.length)
  const totalNs = column(fields, 'totalNs', calls.length)
  return { ...(fields as unknown as CourseResponse), calls, selfNs, totalNs }
}
