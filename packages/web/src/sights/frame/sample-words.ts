/** What a frame says besides its spans, in words. Pure. */
import type { PageAnswer } from '@lapsus/core/questions/page'
import { gaugeValue, ms, plural, three } from '@lapsus/core/words'
import type { OpenTake } from '../../state/take.ts'

/** Less is taken from any frame. */
const LEAST_TAKEN_MS = 0.1

export interface SampleWords {
  text: string
  about: string
}

export function sampleWords({ detail, frames }: OpenTake, page: PageAnswer): SampleWords[] {
  const nameIn = (list: { id: number; name: string }[], id: number) =>
    list.find((item) => item.id === id)?.name ?? `number ${id}`
  const words: SampleWords[] = []
  for (const { gauge, value } of page.gauges) {
    const unit = detail.gauges.find(({ id }) => id === gauge)?.unit ?? ''
    words.push({
      text: `${nameIn(detail.gauges, gauge)} ${gaugeValue(value, unit)}`,
      about: 'A gauge: its last value in this frame.',
    })
  }
  for (const { watch, looks, changes } of page.watches) {
    words.push({
      text: `${nameIn(detail.watches, watch)} looked at ${looks} ×, changed ${changes} ×`,
      about:
        'A watched value: how often it was looked at, and how often it had changed since the look before.',
    })
  }
  for (const { class: id, born, died, bytes } of page.lives) {
    const size = bytes > 0 ? `, ${gaugeValue(bytes, 'bytes')}` : ''
    words.push({
      text: `${nameIn(detail.classes, id)} +${born} −${died}`,
      about: `Instances created and disposed of in this frame${size}.`,
    })
  }
  for (const { class: id, instances, enabled, unseen, far, asleep, everyMs } of page.updaters) {
    const idle = [
      [unseen, 'unseen'],
      [far, 'far'],
      [asleep, 'asleep'],
    ].filter(([count]) => (count as number) > 0)
    words.push({
      text: [
        `${nameIn(detail.classes, id)}: ${plural(instances, 'updater')}, ${enabled} enabled`,
        ...idle.map(([count, what]) => `${count} of them ${what}`),
      ].join(', '),
      about: `What the loop updates, at the end of this frame${everyMs > 0 ? `; every ${three(everyMs)} ms on average` : '; every frame'}.`,
    })
  }
  const steps = frames.steps[page.frame] ?? 0
  if (steps > 0) words.push({ text: plural(steps, 'fixed step'), about: 'Fixed steps that this frame ran.' })
  const takenMs = (frames.takenNs[page.frame] ?? 0) / 1e6
  if (takenMs >= LEAST_TAKEN_MS)
    words.push({
      text: `${ms(takenMs)} taken by the system`,
      about: 'Time in which this frame’s thread stood ready while the system ran something else.',
    })
  return words
}
