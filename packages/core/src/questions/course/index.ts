/** What one path, or several as one, did over the frames. */
import { question, WrongAsk, type Answer } from '../question.ts'
import { column, list, number, object, orNone, rows, sameLength, text, whole } from '../shape.ts'
import { courseFigures } from './course-figures.ts'
import { runTimesOf } from './run-times.ts'

export * from './course-figures.ts'
export * from './run-times.ts'

export const COURSE = question({
  name: 'course',
  version: 1,
  about: 'What a path, or several as one, did frame by frame, and how long its single runs took.',
  at: 'course',
  ofFrames: true,
  asks: { paths: text('numbers of paths, with commas between') },
  tells: {
    calls: column('runs by frame'),
    selfNs: column('own time by frame', 'ns'),
    totalNs: column('with all inside, by frame', 'ns'),
    callsPerFrame: object(
      { least: number(''), median: number(''), most: number('') },
      'over all frames, those without any included',
    ),
    peaks: list(whole(''), 'frames with the most own time, the worst first'),
    runTimes: orNone(
      object(
        {
          runs: whole('looked at'),
          leastNs: number('', 'ns'),
          medianNs: number('', 'ns'),
          p95Ns: number('', 'ns'),
          worstNs: number('', 'ns'),
          bins: rows(
            { fromNs: number('', 'ns'), toNs: number('', 'ns'), runs: whole('') },
            'of equal width on a logarithmic scale',
          ),
        },
        'null where no run was found in the chunks looked at',
      ),
    ),
    chunksRead: whole('chunks that run times were read from'),
    chunks: whole('chunks that hold runs'),
  },
  async answer(source, asked) {
    const paths = asked.paths.split(',').map(Number)
    const { study } = await source.evidence()
    const { length } = study.paths.all
    const unknown = paths.find((path) => !(path < length))
    if (unknown !== undefined)
      throw new WrongAsk('paths', `there is no path ${unknown}: the take has ${length}`, true)
    const figures = courseFigures(study, paths)
    const { durationNs, chunks, chunksRead } = await source.runs(new Set(paths), figures.calls)
    return { ...figures, runTimes: runTimesOf(durationNs), chunksRead, chunks }
  },
  verify: ({ calls, selfNs, totalNs }) => {
    sameLength('selfNs', calls, selfNs)
    sameLength('totalNs', calls, totalNs)
  },
})

export type CourseAnswer = Answer<typeof COURSE>
