/** Questions about a take, as core has them. */
import {
  readAnswer,
  travelsAsCbor,
  type Answer,
  type Question,
  type Shape,
  type Told,
} from '@lapsus/core/questions'
import { readMarks, type FindingMark } from '@lapsus/core/questions/diagnosis'
import { binary, json, takeAt, withBody } from './http.ts'

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
export async function ask<A extends Shape, T extends Shape>(
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
  const address = `${takeAt(takeId)}/${path}?${params}`
  const sent = travelsAsCbor(question) ? await binary(address, { signal }) : await json(address, { signal })
  return readAnswer(question as Question, sent) as Answer<Question<A, T>>
}

/** Marks a finding in all takes of the game. @param mark null takes the mark away */
export const markFinding = async (
  id: string,
  finding: string,
  mark: FindingMark['mark'] | null,
  reason: string,
) => readMarks(await json(`${takeAt(id)}/marks`, withBody('PUT', { finding, mark, reason })))
