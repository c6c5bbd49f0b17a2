/** What a cost grows with. */
import {
  breakingLoad,
  fitFrames,
  fitScaling,
  LAWS,
  loadOf,
  loadsOfRamp,
  loadSources,
  RAMP_MOMENT,
  rampFrames,
} from '../../detect/index.ts'
import { dense } from '../../study/index.ts'
import { question, WrongAsk, type Answer } from '../question.ts'
import {
  anyNumber,
  list,
  number,
  object,
  oneOf,
  optional,
  orNone,
  rows,
  text,
  truth,
  whole,
} from '../shape.ts'

const FIT = {
  law: oneOf(LAWS, ''),
  baseNs: number('cost = base + slope × f(load)', 'ns'),
  slopeNs: number('', 'ns'),
  aicc: anyNumber('the criterion: the lower the better'),
}

export const SCALING = question({
  name: 'scaling',
  version: 2,
  about:
    'The cost of a path, or of whole frames, against a load: the law it follows, and where the budget breaks.',
  at: 'scaling',
  ofFrames: true,
  asks: {
    path: optional(whole('number of the path; the work of whole frames without')),
    loads: optional(
      text(
        '`gauge 3`, `class 1`, or two with a comma between, whose product counts; without, the one that explains most, of those that a load ramp names if it does',
      ),
    ),
  },
  tells: {
    pathId: orNone(whole('as asked')),
    loads: rows(
      { id: text('`gauge 3`, or `class 1` for instances'), name: text('') },
      'that a cost may grow with',
    ),
    chosen: list(text(''), 'ids of those that the cost is set against; none where there is none'),
    points: rows(
      {
        load: number(''),
        costMs: number('median of the frames with about this load', 'ms'),
        frames: whole(''),
      },
      'in order of load',
    ),
    fits: rows(FIT, 'of every law'),
    best: orNone(object(FIT, 'the law that pays best for its parameters')),
    exponent: orNone(
      object(
        { value: number(''), low: number('of its 95 % interval'), high: number('of its 95 % interval') },
        'of cost = base + slope × load^exponent; null where load does not matter',
      ),
    ),
    explained: number('share of the variance that the best law explains, 0 to 1'),
    breaksAt: orNone(number('the load at which the cost reaches the budget; null where it does not')),
    ramp: truth('whether the points are those of a load ramp'),
  },
  async answer(source, asked) {
    const { even, count, isNormal, budgetNs } = await source.evidence()
    const { study } = even()
    const path = asked.path ?? null
    const known = loadSources(study)
    if (path !== null && path >= study.paths.all.length)
      throw new WrongAsk('path', `"path" must be below ${study.paths.all.length}`)
    const inRamp = rampFrames(study.moments, count)
    const use = isNormal.map((is, frame) => is & inRamp[frame]!)
    const costNs = path === null ? study.frames.workNs : dense(study.courses.get(path), 'totalNs', count)
    // What merely grows with the ramp, since time passes in it, would explain as much as what it is about.
    const best = loadsOfRamp(study.moments, known)
      .map(({ id, values }) => ({ id, explained: fitFrames(values, costNs, use).explained }))
      .reduce((a, b) => (b.explained > a.explained ? b : a), { id: known[0]?.id, explained: 0 })
    const chosen = (asked.loads?.split(',') ?? (best.id === undefined ? [] : [best.id])).map((id) => {
      const found = known.find((one) => one.id === id)
      if (found === undefined) {
        const there = known.map((one) => `${one.id} (${one.name})`).join(', ') || 'none'
        throw new WrongAsk('loads', `the take has no load "${id}"; there are: ${there}`)
      }
      return found
    })
    const load = loadOf(
      chosen.map(({ values }) => values),
      count,
    )
    const scaling = chosen.length === 0 ? fitScaling([]) : fitFrames(load, costNs, use, chosen.length > 1)
    const { fits, exponent, explained, points } = scaling
    return {
      pathId: path,
      loads: known.map(({ id, name }) => ({ id, name })),
      chosen: chosen.map(({ id }) => id),
      points: points.map((point) => ({ load: point.load, costMs: point.costNs / 1e6, frames: point.frames })),
      fits,
      best: scaling.best,
      exponent,
      explained,
      breaksAt: breakingLoad(scaling, budgetNs),
      ramp: study.moments.some(({ name }) => name === RAMP_MOMENT),
    }
  },
})

export type ScalingAnswer = Answer<typeof SCALING>
