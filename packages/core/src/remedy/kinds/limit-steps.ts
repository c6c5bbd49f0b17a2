import { median, sum } from '../../stats/index.ts'
import { amount, ms, percent, plural } from '../../words/index.ts'
import { number, numberOf } from '../input.ts'
import { outcome, Refusal, type Remedy } from '../remedy.ts'
import { largest } from '../shares.ts'

/** At most so many fixed steps a frame. */
export const remedy: Remedy = {
  kind: 'limit-steps',
  order: 14,
  words: 'limit steps',
  about: 'at most so many fixed steps in a frame; what does not fit is left out',
  price: 'game time runs slow',
  effort: 'small',
  makes: 'at most so many runs a frame; frames that are shorter for it are followed by fewer steps',
  suggests: 'twice the usual',
  inputs: (site) => {
    const { steps } = site.base.study.frames
    if (largest(site.replay.columns(site.workPath).calls) <= 1 || sum(steps) === 0)
      throw new Refusal(`${site.name} never runs more than once a frame: there are no steps to limit`)
    const usual = Math.max(1, median(site.columns.calls))
    return [
      number('most', {
        words: 'most steps a frame',
        about: `runs of ${site.name} in one frame; usual are ${amount(usual)}`,
        origin: 'measured',
        suggested: Math.ceil(usual * 2),
        least: 1,
        most: Math.max(2, largest(site.columns.calls)),
        whole: true,
      }),
    ]
  },
  apply(site, values) {
    const most = numberOf(values, 'most')
    const { calls } = site.columns
    const lost = calls.reduce((steps, runs) => steps + Math.max(0, runs - most), 0)
    const all = sum(calls)
    const stepMs = all > 0 ? (site.secondsRecorded * 1000) / all : 0
    const frames = calls.reduce((count, runs) => count + (runs > most ? 1 : 0), 0)
    const keep = calls.map((runs) => (runs > most ? most / runs : 1))
    return outcome([{ path: site.path, keep, mostSteps: most }], {
      price: [
        lost < 0.5
          ? 'no step is left out in this take'
          : `game time runs slow by ${ms(lost * stepMs)} in all (${percent(lost / all)}), in ${plural(frames, 'frame')}`,
      ],
    })
  },
}
