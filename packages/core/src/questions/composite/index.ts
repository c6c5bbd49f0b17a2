/** What the machine added to each of the takes that a composite is made from. */
import { addedGauges } from '../../composite/index.ts'
import { percentileSorted, sum } from '../../stats/index.ts'
import { question, type Answer } from '../question.ts'
import { list, number, rows, text, whole } from '../shape.ts'

/** As many as a picture has room for. */
const PARTS = 200

const TAKE = {
  name: text('of the take'),
  meanMs: number(
    'added to a frame’s work, mean over the frames; below 0 where it was faster than the middle',
    'ms',
  ),
  p95Ms: number('95th percentile', 'ms'),
  worstMs: number('most added to a frame', 'ms'),
  worstFrame: whole('the frame with the most'),
  course: list(
    number(''),
    `mean of what was added within each of ${PARTS} parts, or fewer where there are fewer frames`,
  ),
}

export const COMPOSITE = question({
  name: 'composite',
  version: 1,
  about:
    'What the machine added to each of the takes that a composite is made from; no takes for any other take.',
  at: 'composite',
  ofFrames: true,
  asks: {},
  tells: { takes: rows(TAKE, 'in the order in which they were laid over one another') },
  async answer(source) {
    const { conditions, declarations, gauges, firstFrame } = await source.study()
    return {
      takes: addedGauges(conditions, declarations.gauges.values()).flatMap(({ gauge, name }) => {
        const added = gauges.get(gauge)
        if (added === undefined || added.length === 0) return []
        const sorted = Float64Array.from(added).sort()
        const worstMs = sorted.at(-1)!
        return [
          {
            name,
            meanMs: sum(added) / added.length,
            p95Ms: percentileSorted(sorted, 0.95),
            worstMs,
            worstFrame: firstFrame + added.indexOf(worstMs),
            course: partsOf(added),
          },
        ]
      }),
    }
  },
})

function partsOf(values: Float64Array): number[] {
  const parts = Math.min(PARTS, values.length)
  const end = (part: number) => Math.floor((part * values.length) / parts)
  return Array.from({ length: parts }, (_, part) => {
    const within = values.subarray(end(part), end(part + 1))
    return sum(within) / within.length
  })
}

export type CompositeAnswer = Answer<typeof COMPOSITE>
