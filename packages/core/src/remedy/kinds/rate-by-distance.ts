import { mean } from '../../stats/index.ts'
import { ms, percent } from '../../words/index.ts'
import { number, numberOf, type NumberInput } from '../input.ts'
import { outcome, type Remedy } from '../remedy.ts'
import { idleShare, idleSorts, type IdleFlag } from '../idle.ts'
import type { Site } from '../site.ts'

const BANDS = ['far', 'unseen'] as const

/** Near instances run in every frame, far and unseen ones less often, in turn. */
export const remedy: Remedy = {
  kind: 'rate-by-distance',
  order: 12,
  words: 'rate by distance',
  about: 'near ones run in every frame, far and unseen ones in turn, every so many frames',
  price: 'coarser behaviour far away',
  effort: 'medium',
  makes: 'of T near ones stay, far and unseen ones run every so many frames, in turn',
  suggests: 'shares as updaters say',
  inputs: (site) => {
    site.demandWork()
    return [...BANDS.map((band) => shareInput(site, band)), everyInput('far', 2), everyInput('unseen', 4)]
  },
  apply(site, values) {
    const shares = BANDS.map((band) => shareByFrame(site, band, numberOf(values, band) / 100))
    const every = BANDS.map((band) => numberOf(values, `every-${band}`))
    const keep = new Float64Array(site.count).fill(1)
    for (let frame = 0; frame < site.count; frame++) {
      let left = 1
      BANDS.forEach((_, band) => {
        const here = Math.min(left, shares[band]![frame]!)
        left -= here
        keep[frame]! -= here * (1 - 1 / every[band]!)
      })
    }
    const present = BANDS.map((band, i) => ({ band, i })).filter(({ i }) => mean(shares[i]!) > 0)
    const oldMs = (i: number) => (every[i]! - 1) * site.frameMs
    return outcome([{ path: site.path, keep }], {
      price:
        present.length === 0
          ? ['nobody says how many are far or unseen: set their shares']
          : present.map(
              ({ band, i }) =>
                `${percent(mean(shares[i]!))} are ${band}: as they were up to ${ms(oldMs(i))} ago`,
            ),
      stalenessMs: {
        mean: present.reduce((sum, { i }) => sum + (mean(shares[i]!) * oldMs(i)) / 2, 0),
        worst: present.reduce((worst, { i }) => Math.max(worst, oldMs(i)), 0),
      },
      uses: BANDS.filter((_, i) => every[i]! > 1).map((band) => `${site.path} ${band}`),
    })
  },
}

const isTold = (site: Site, band: IdleFlag) => idleSorts(site).some(({ id }) => id === band)

function shareInput(site: Site, band: 'far' | 'unseen'): NumberInput {
  const told = isTold(site, band)
  return number(band, {
    words: `instances that are ${band}`,
    unit: '%',
    about: told ? 'as the updaters say, on average' : 'no updater says so: to be judged by whoever plans',
    origin: told ? 'measured' : 'assumed',
    suggested: told ? mean(idleShare(site, band)) * 100 : 0,
    most: 100,
  })
}

const everyInput = (band: string, suggested: number): NumberInput =>
  number(`every-${band}`, {
    words: `${band} ones run every`,
    unit: 'frames',
    about: 'a different part of them in each frame',
    origin: 'assumed',
    suggested,
    least: 1,
    most: 600,
    whole: true,
  })

/** As told frame by frame, scaled to the mean that was set; even where nobody tells. */
function shareByFrame(site: Site, band: IdleFlag, wanted: number): Float64Array {
  const told = isTold(site, band) ? idleShare(site, band) : null
  const average = told === null ? 0 : mean(told)
  if (told === null || average === 0) {
    const used = site.replay.used.has(`${site.path} ${band}`)
    return new Float64Array(site.count).fill(used ? 0 : wanted)
  }
  return told.map((share) => Math.min(1, (share * wanted) / average))
}
