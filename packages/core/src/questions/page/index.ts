/** One frame, run by run. */
import {
  COLUMN_WORDS,
  entriesOf,
  SAMPLE_NAMES,
  SAMPLES,
  SPAN_DETAILS,
  type ColumnRule,
  type ColumnsOf,
  type SampleName,
} from '../../format/index.ts'
import { lowerBound } from '../../stats/index.ts'
import { pairJobs, type Job, type Samples } from '../../take/index.ts'
import { question, WrongAsk, type FrameSource } from '../question.ts'
import {
  byteColumn,
  column,
  number,
  object,
  orNone,
  rows,
  sameLength,
  whole,
  wholeColumn,
  type Field,
  type Told,
} from '../shape.ts'

const instant = (about: string) =>
  orNone(object({ lane: whole('its id'), atNs: number('since the take’s start', 'ns') }, about))

const columnOf = ({ holds, wire }: ColumnRule): Field<Uint8Array | Uint32Array | Float64Array> =>
  (holds === 'byte' ? byteColumn : holds === 'whole' ? wholeColumn : column)(
    COLUMN_WORDS[`lanes[].${wire}`]!,
  ) as Field<Uint8Array | Uint32Array | Float64Array>

type Columns = ColumnsOf<typeof SPAN_DETAILS>
type DetailColumns = { [K in keyof Columns]: Field<Columns[K] | null> }

const DETAILS = Object.fromEntries(
  entriesOf(SPAN_DETAILS).map(([name, rule]) => [name, orNone(columnOf(rule))]),
) as unknown as DetailColumns

type SampleFields<N extends SampleName> = Record<
  (typeof SAMPLES)[N]['key'] | (keyof (typeof SAMPLES)[N]['columns'] & string),
  Field<number>
>
const sampleRows = <N extends SampleName>(name: N, about: string) =>
  rows(
    {
      [SAMPLES[name].key]: whole('its id'),
      ...Object.fromEntries(
        Object.entries(SAMPLES[name].columns).map(([column, rule]) => [column, number(rule.about)]),
      ),
    } as SampleFields<N>,
    about,
  )

const TELLS = {
  frame: whole('as asked'),
  startNs: number('since the take’s start', 'ns'),
  durationNs: number('', 'ns'),
  path: wholeColumn('number of each run’s path: lane after lane, parents before children'),
  spanStartNs: column('since the take’s start', 'ns'),
  spanDurationNs: column('', 'ns'),
  ...DETAILS,
  gauges: sampleRows('gauges', 'read in this frame'),
  watches: sampleRows('watches', 'looked at in this frame'),
  lives: sampleRows('lives', 'classes of which instances were born or died'),
  updaters: sampleRows('updaters', 'of each class, as they were at the end of the frame'),
  jobs: rows(
    {
      id: whole(''),
      marker: whole('under which it runs'),
      dispatched: instant('handed over'),
      begun: instant(''),
      ended: instant(''),
    },
    'that were dispatched, begun or ended during the frame',
  ),
}
export type PageAnswer = Told<typeof TELLS>

/** Of each thing that is sampled: what it says in this frame, or said last if that holds. */
function samplesOfFrame(samples: Samples, within: number): Pick<PageAnswer, SampleName> {
  const all = SAMPLE_NAMES.map((name) => {
    const { key, columns, holds } = SAMPLES[name]
    // A gauge is told in the frames that it was read in; every chunk begins with the state of its updaters.
    const carries = holds && name !== 'gauges'
    const items = samples[name].flatMap((item) => {
      const i = carries ? lastUpTo(item.frame, within) : item.frame.indexOf(within)
      if (i < 0) return []
      const fields = item as unknown as Record<string, ArrayLike<number>> & Record<string, number>
      const values = Object.keys(columns).map((column) => [column, fields[column]![i]])
      return [{ [key]: fields[key], ...Object.fromEntries(values) }]
    })
    return [name, items]
  })
  return Object.fromEntries(all) as Pick<PageAnswer, SampleName>
}

const lastUpTo = (frames: Uint32Array, within: number) => lowerBound(frames, within + 1) - 1

/** Jobs that anything happened to during the frame; their other ends may lie in the chunks beside. */
async function jobsOfFrame({ frames, within, samples, jobs }: FrameSource): Promise<Job[]> {
  const fromNs = frames.startNs[within]!
  const toNs = fromNs + frames.durationNs[within]!
  const happened = (instant: Job['begun']) =>
    instant !== null && instant.atNs >= fromNs && instant.atNs <= toNs
  const touches = ({ dispatched, begun, ended }: Job) => [dispatched, begun, ended].some(happened)
  if (!pairJobs([samples.jobs]).some(touches)) return []
  return pairJobs(await jobs()).filter(touches)
}

export const PAGE = question({
  name: 'page',
  version: 1,
  about: 'The runs of one frame, and what the frame says besides.',
  at: 'pages/:frame',
  ofFrames: false,
  asks: { frame: whole('number of the frame, from 0') },
  tells: TELLS,
  async answer(source, asked) {
    const found = await source.frame(asked.frame)
    if (found === null) {
      throw new WrongAsk('frame', `there is no frame ${asked.frame}: the take has ${source.frames}`, true)
    }
    const { frames, within, spans, details, samples } = found
    return {
      frame: asked.frame,
      startNs: frames.startNs[within]!,
      durationNs: frames.durationNs[within]!,
      path: spans.path,
      spanStartNs: spans.startNs,
      spanDurationNs: spans.durationNs,
      ...{ effect: details?.effect ?? null, bytes: details?.bytes ?? null, key: details?.key ?? null },
      ...samplesOfFrame(samples, within),
      jobs: await jobsOfFrame(found),
    }
  },
  verify: ({ path, spanStartNs, spanDurationNs, effect, bytes, key }) => {
    sameLength('spanStartNs', path, spanStartNs)
    sameLength('spanDurationNs', path, spanDurationNs)
    sameLength('details', path, effect, bytes, key)
  },
})
