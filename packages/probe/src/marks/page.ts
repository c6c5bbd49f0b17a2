/** What a page that shall be marked loads first: records it where it makes no probe itself. */
import { createProbe, type ProbeOptions } from '../browser.ts'
import { installMarks, Marks } from './marks.ts'

export interface PageMarks extends ProbeOptions {
  /** Name of the function that begins frames. Default: the first that is called in two turns. */
  frame?: string
}

export function startMarks({ frame, ...options }: PageMarks): void {
  installMarks(new Marks({ makeProbe: () => createProbe(options), frame }))
}
