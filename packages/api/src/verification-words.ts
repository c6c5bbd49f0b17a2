import { plural } from '@lapsus/core/words'
import type { Verification } from './types.ts'

/** What came of it, in one sentence. */
export function verificationWords({ records, isSent, unnotedChunks, problemCount }: Verification): string {
  if (problemCount > 0) return `${plural(problemCount, 'thing')} not as stored`
  if (isSent) return `all ${plural(records, 'record')}, as sent`
  return unnotedChunks > 0
    ? 'can be read; nothing was noted when it was stored'
    : 'stored whole; sending not proven'
}
