import { sum } from '../../stats/index.ts'
import { bytes as bytesWords, percent } from '../../words/index.ts'
import { number, numberOf } from '../input.ts'
import { outcome, Refusal, type Remedy } from '../remedy.ts'

/** What is allocated anew each time is kept and used again. */
export const remedy: Remedy = {
  kind: 'reuse',
  order: 2,
  words: 'reuse',
  about: 'what is made anew in each run is kept and used again; collections come later',
  price: 'a shared scratch object: not re-entrant',
  effort: 'small',
  makes: '`share` of the path’s own bytes to 0, with `making` a kilobyte; collections re-timed',
  suggests: '',
  inputs(site) {
    const bytes = sum(site.replay.columns(site.workPath).bytes)
    if (bytes === 0) {
      throw new Refusal(
        `nobody recorded what ${site.name} allocates: record in mode bytes to see what reusing would save`,
      )
    }
    return [
      number('share', {
        words: 'share of its bytes reused',
        unit: '%',
        about: 'share of what the path itself allocates that is scratch, and not kept by anyone',
        origin: 'assumed',
        suggested: 100,
        most: 100,
      }),
      number('making', {
        words: 'time to allocate a kilobyte',
        unit: 'µs',
        about: 'what making and filling costs besides the collections; taken from the path’s own time',
        origin: 'assumed',
        suggested: 0.3,
        most: 1_000,
      }),
    ]
  },
  apply(site, values) {
    const part = numberOf(values, 'share') / 100
    const nsPerByte = numberOf(values, 'making')
    const { bytes, selfNs } = site.columns
    const keep = selfNs.map((ns, frame) =>
      ns > 0 ? Math.max(0, 1 - Math.min(ns, bytes[frame]! * part * nsPerByte) / ns) : 1,
    )
    const keepBytes = site.filled(1 - part)
    const all = sum(site.base.allocated ?? undefined)
    return outcome([{ path: site.path, alone: true, keep, sameRuns: true, keepBytes }], {
      price: ['what is shared must not be used by two at once'],
      notes: [
        `${bytesWords(Math.round((sum(bytes) * part) / Math.max(1, site.count)))} a frame less` +
          (all > 0 ? `, ${percent(Math.min(1, (sum(bytes) * part) / all))} of what is allocated` : ''),
      ],
    })
  },
}
