import { bytes, count, waitWords } from '@lapsus/core/words'
import type { JobInfo, JobKind } from './types.ts'

const KINDS: Record<JobKind, string> = {
  import: 'Import',
  export: 'Export',
  excerpt: 'Excerpt',
  composite: 'Composite',
  report: 'Report',
}

/** What a job is, how far it is in words, and as a share where that is known. */
export function jobWords(job: Omit<JobInfo, 'id' | 'asked'>): {
  what: string
  far: string
  share: number | null
} {
  const { kind, name, state, bytes: done, ofBytes, frames, ofFrames, secondsLeft } = job
  const what = name === '' ? KINDS[kind] : `${KINDS[kind]}: ${name}`
  if (state === 'waiting') return { what, far: 'waits for its turn', share: null }
  const share = ofBytes !== null ? done / ofBytes : ofFrames !== null ? frames / ofFrames : null
  const parts = [
    ofBytes !== null ? `${bytes(done)} of ${bytes(ofBytes)}` : done > 0 ? bytes(done) : '',
    ofFrames !== null
      ? `${count(frames)} of ${count(ofFrames)} frames`
      : frames > 0
        ? `${count(frames)} frames`
        : '',
    secondsLeft === null ? '' : `${waitWords(secondsLeft)} left`,
  ]
  return {
    what,
    far: parts.filter((part) => part !== '').join(', '),
    share: share === null ? null : Math.min(1, share),
  }
}
