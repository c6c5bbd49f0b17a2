import { mean, sum } from '../../stats/index.ts'
import { recorderCost } from '../../take/index.ts'
import { bytes as bytesWords, percent, three } from '../../words/index.ts'
import { number, numberOf } from '../input.ts'
import { layoutsOf, LINE, type Layout, type Layouts } from '../memory-layout.ts'
import type { Picture } from '../picture.ts'
import { outcome, type Remedy } from '../remedy.ts'
import type { Site } from '../site.ts'

/** What calling an update through a table of classes costs besides what the recorder knows of, ns. */
const CALL_NS = 20

/** One pass over packed arrays instead of an update for each instance. */
export const remedy: Remedy = {
  kind: 'one-manager',
  order: 13,
  words: 'one manager',
  about: 'one pass over packed arrays instead of an update for each instance',
  price: 'a rewrite of the class',
  effort: 'large',
  makes:
    'S less `call` for each run; of the rest `memory` shrinks with the cache lines that a pass touches: one instance after the other (array of structs) against packed columns (struct of arrays)',
  suggests: 'call: the recorder’s measured part of a run and 20 ns',
  limits: { CALL_NS },
  inputs: (site) => {
    const { calls } = site.base.columns(site.workPath)
    const runs = site.base.once(`runs where it ran ${site.path}`, () =>
      mean(calls.filter((here) => here > 0)),
    )
    const recorderNs = recorderInsideNs(site)
    return [
      number('instances', {
        words: 'instances in one pass',
        about: 'runs in a frame; more where one run goes over several',
        origin: 'measured',
        suggested: Math.max(1, runs || 1),
        least: 1,
        most: 1e9,
      }),
      number('bytes', {
        words: 'memory of one',
        unit: 'bytes',
        about: 'all its fields, with what the language adds',
        origin: 'assumed',
        suggested: 192,
        least: 1,
        most: 1e6,
      }),
      number('hot', {
        words: 'share the pass reads or writes',
        unit: 'bytes',
        about: 'the fields that the update needs, packed',
        origin: 'assumed',
        suggested: 24,
        least: 1,
        most: 1e6,
      }),
      number('call', {
        words: 'overhead of one run',
        unit: 'µs',
        about:
          recorderNs === 0
            ? 'what calling the update costs by itself'
            : 'what calling the update costs by itself, with the recorder’s measured part in it',
        origin: recorderNs === 0 ? 'assumed' : 'measured',
        suggested: (recorderNs + CALL_NS) / 1000,
        most: 1e6,
      }),
      number('memory', {
        words: 'share of the rest that waits for memory',
        unit: '%',
        about: 'share of a run’s time that grows with the cache lines it touches',
        origin: 'assumed',
        suggested: 80,
        most: 100,
      }),
    ]
  },
  apply(site, values) {
    const { selfNs, calls } = site.columns
    const layouts = layoutsOf(
      numberOf(values, 'instances'),
      numberOf(values, 'bytes'),
      numberOf(values, 'hot'),
    )
    const ratio = Math.min(1, layouts.arrays.lines / layouts.structs.lines)
    const memory = numberOf(values, 'memory') / 100
    const callNs = numberOf(values, 'call') * 1000
    const stays = 1 - memory * (1 - ratio)
    const keep = selfNs.map((ns, frame) =>
      ns > 0 ? Math.max(0, (1 - Math.min(1, (calls[frame]! * callNs) / ns)) * stays) : 1,
    )
    const left = sum(selfNs.map((ns, frame) => ns * keep[frame]!)) / Math.max(1, sum(selfNs))
    return outcome([{ path: site.path, alone: true, keep }], {
      price: ['the class is rewritten as columns: whoever used its instances must change too'],
      notes: [
        `a pass touches ${three(layouts.arrays.lines)} cache lines instead of ${three(layouts.structs.lines)}, of ${bytesWords(Math.round(layouts.structs.bytes))}`,
        `${percent(left)} of its own time is left; how much waits for memory is a guess until measured`,
      ],
      picture: bothLayouts(numberOf(values, 'instances'), layouts),
    })
  },
}

function recorderInsideNs(site: Site): number {
  const { recorder } = site.base.study.conditions
  return recorder === undefined ? 0 : recorderCost(recorder).insideNs
}

/** What one pass moves through the caches, in both layouts. */
export function bothLayouts(instances: number, { structs, arrays }: Layouts): Picture {
  const row = (words: string, { bytes, lines }: Layout) => ({
    words,
    lengths: [
      { value: bytes, tone: 'wait' as const, words: `${bytesWords(Math.round(bytes))} held` },
      {
        value: lines * LINE,
        tone: 'work' as const,
        words: `${three(lines)} lines, ${bytesWords(lines * LINE)} touched`,
      },
    ],
  })
  return {
    words: 'Bytes held and cache lines touched by one pass, in both layouts',
    foot: `${three(instances)} instances, one pass; a cache line is ${LINE} bytes`,
    legend: [],
    panels: [
      {
        form: 'lengths',
        most: Math.max(structs.bytes, structs.lines * LINE),
        rows: [row('array of structs', structs), row('struct of arrays', arrays)],
      },
    ],
  }
}
