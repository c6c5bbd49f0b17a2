import { wrap, type Remote } from 'comlink'
import type { Desk } from './desk.ts'

let desk: Remote<Desk> | null = null

/** The one desk of the page, in its worker; started when it is first needed. */
export function theDesk(): Remote<Desk> {
  desk ??= wrap<Desk>(new Worker(new URL('./desk-worker.ts', import.meta.url), { type: 'module' }))
  return desk
}
