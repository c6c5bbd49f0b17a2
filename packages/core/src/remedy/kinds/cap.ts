import { instancesOf } from '../../detect/index.ts'
import { mean, risingLine } from '../../stats/index.ts'
import { amount, percent, plural, three } from '../../words/index.ts'
import { choice, number, numberOf } from '../input.ts'
import { HEADROOM, largestOf, type Picture } from '../picture.ts'
import { outcome, Refusal, type Remedy } from '../remedy.ts'
import type { Site } from '../site.ts'

/** Of the take, so much at its beginning tells how many the game needs. */
const BEGINNING = 0.2

/** At most so many are alive: the oldest goes, or what is done with. */
export const remedy: Remedy = {
  kind: 'cap',
  order: 17,
  words: 'cap',
  about: 'at most so many are alive; the oldest goes, or what is done with',
  price: 'what was there longest is missing; something must choose what goes',
  effort: 'small',
  makes:
    'in frames in which more than `most` are alive, the path costs what `cost = base + slope × alive` (least squares over the take) says of `most`, in proportion',
  suggests: '`most`: the mean number alive in the first fifth of the frames',
  limits: { BEGINNING },
  inputs(site) {
    site.demandPath()
    const classes = countedClasses(site)
    const suggested = classes.find(({ name }) => name === site.subject) ?? classes[0]!
    const early = suggested.alive.subarray(0, Math.max(1, Math.floor(BEGINNING * site.count)))
    const known = early.filter((value) => !Number.isNaN(value))
    return [
      choice('class', {
        words: 'of what',
        about: 'the class whose number is capped',
        origin: 'measured',
        choices: classes.map(({ class: id, name }) => ({ id: String(id), words: name })),
        suggested: String(suggested.class),
      }),
      number('most', {
        words: 'at most',
        about: 'alive at once',
        origin: 'assumed',
        suggested: Math.max(1, Math.round(known.length === 0 ? 1 : mean(known))),
        least: 1,
        most: 1e6,
        whole: true,
      }),
    ]
  },
  apply(site, values) {
    const { alive, name } = countedClasses(site).find(({ class: id }) => String(id) === values['class'])!
    const most = numberOf(values, 'most')
    const { base, slope } = risingLine(
      [...alive].map((value) => (Number.isNaN(value) ? 0 : value)),
      [...site.columns.selfNs],
    )
    const keep = alive.map((now) => {
      if (!(now > most)) return 1
      const recorded = base + slope * now
      return recorded > 0 ? (base + slope * most) / recorded : 1
    })
    const capped = alive.filter((now) => now > most).length
    return outcome([{ path: site.path, keep, sameRuns: true }], {
      price: [`up to ${amount(Math.max(0, largestOf(alive) - most))} of “${name}” go before their time`],
      notes: [
        `in ${plural(capped, 'frame')} of ${amount(site.count)} more than ${amount(most)} were alive`,
        slope > 0
          ? `${percent(1 - base / Math.max(1, base + slope * largestOf(alive)))} of the path’s cost at its worst hangs on their number`
          : 'the path does not cost more the more there are: a cap brings nothing here',
      ],
      picture: capCurve(alive, most, name),
    })
  },
}

function countedClasses(site: Site) {
  const classes = instancesOf(site.base.study)
  if (classes.length === 0)
    throw new Refusal('nothing is told of instances here, so nobody knows how many are alive')
  return classes
}

const capCurve = (alive: Float64Array, most: number, what: string): Picture => ({
  words: 'Instances alive, and the cap',
  foot: `${plural(alive.length, 'frame')}; at most ${three(largestOf(alive))} alive at once`,
  legend: [
    { words: `“${what}” alive, as recorded`, tone: 'work-soft' },
    { words: 'cap', tone: 'ink', isLine: true },
  ],
  panels: [
    {
      form: 'curves',
      most: largestOf(alive) * HEADROOM,
      curves: [
        { values: alive, tone: 'work-soft', as: 'area' },
        { values: alive.map(() => most), tone: 'ink', as: 'line' },
      ],
      labels: [
        { at: most, words: three(most) },
        { at: 0, words: '0' },
      ],
    },
  ],
})
