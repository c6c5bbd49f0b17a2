import type { PageAnswer } from '@lapsus/core/questions/page'
import {
  BYTES_UNKNOWN,
  EFFECT_NONE,
  EFFECT_SOME,
  EFFECT_UNSAID,
  NO_KEY,
  SUSPECTED_TAG,
} from '@lapsus/core/format'
import { isUnreliable, type Job } from '@lapsus/core/take'
import { bytes, ms, three } from '@lapsus/core/words'
import type { OpenTake } from '../../state/take.ts'
import type { PageBox } from './layout.ts'

const ANSWERS: Record<number, string> = { [EFFECT_NONE]: ': no', [EFFECT_SOME]: ': yes' }

/** What a single run said about itself, and what is known of the job it ran or waited for. */
export function runWords(take: OpenTake, page: PageAnswer, { span, kind, path, totalNs }: PageBox): string[] {
  const words: string[] = []
  const effect = page.effect?.[span] ?? EFFECT_UNSAID
  const key = page.key?.[span] ?? NO_KEY
  const isQuestion = key !== NO_KEY && kind !== 'wait:job'
  if (isQuestion) words.push(`asked about ${key}${ANSWERS[effect] ?? ''}`)
  else if (effect !== EFFECT_UNSAID) {
    words.push(effect === EFFECT_NONE ? 'changed nothing: needless' : 'changed something')
  }
  const allocated = page.bytes?.[span]
  if (allocated === BYTES_UNKNOWN) words.push('bytes unknown: a collection ran inside')
  else if (allocated !== undefined) words.push(`${bytes(allocated)} allocated`)
  if (kind === 'wait:job')
    words.push(
      ...jobWords(
        take,
        page.jobs.find(({ id }) => id === key),
      ),
    )
  const { recorder } = take.detail.conditions
  const { tags } = take.markers.get(take.paths.get(path).marker)!
  if (tags.includes(SUSPECTED_TAG)) words.push('suspected: the heap fell here; how long it took is not known')
  else if (recorder !== undefined && isUnreliable(totalNs, recorder)) {
    words.push(
      `shorter than the clock’s step of ${three(recorder.clockResolutionNs / 1e3)} µs: unreliable by itself`,
    )
  }
  return words
}

function jobWords(take: OpenTake, job: Job | undefined): string[] {
  if (job === undefined) return []
  const laneOf = (lane: number) => take.detail.lanes.find(({ id }) => id === lane)?.name ?? `lane ${lane}`
  const name = take.markers.get(job.marker)?.name ?? ''
  const { dispatched, begun, ended } = job
  return [
    `waited for ${name}${begun === null ? '' : ` on ${laneOf(begun.lane)}`}`,
    ...(dispatched !== null && begun !== null
      ? [`begun ${ms((begun.atNs - dispatched.atNs) / 1e6)} after it was dispatched`]
      : []),
    ...(begun !== null && ended !== null ? [`ran ${ms((ended.atNs - begun.atNs) / 1e6)}`] : []),
  ]
}
