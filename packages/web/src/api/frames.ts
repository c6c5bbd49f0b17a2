/** The frames of a take, and what is new of one that is being recorded. */
import { checkLive } from '@lapsus/api'
import { decodeFrames } from '@lapsus/core/take'
import { binary, framesAt, takeAt } from './http.ts'

export const framesOf = async (id: string, signal?: AbortSignal) =>
  decodeFrames(await binary(framesAt(id), { signal }))

/** @param from frames from this number on */
export const newsOf = async (id: string, from: number, signal?: AbortSignal) =>
  checkLive(await binary(`${takeAt(id)}/live?from=${from}`, { signal }))
