/** What frames wait for. */
import { waitingOf } from '../../detect/index.ts'
import { PACINGS } from '../../study/index.ts'
import { WAIT_REASONS, type WaitReason } from '../../take/index.ts'
import { question, type Answer } from '../question.ts'
import { number, object, oneOf, orNone, rows, text, whole, type Field, type Told } from '../shape.ts'

const byReason = <T>(field: Field<T>, about: string) =>
  object(
    Object.fromEntries(WAIT_REASONS.map((reason) => [reason, field])) as Record<WaitReason, Field<T>>,
    about,
  )

const TELLS = {
  pacing: object(
    {
      pacing: oneOf(PACINGS, 'by nothing, by a limit, or by the refreshes of a display'),
      periodMs: orNone(number('length of a refresh, or of the limit', 'ms')),
      share: number('of the frames whose length is what the pacing says, 0 to 1'),
      missed: orNone(whole('refreshes; null unless locked to them')),
    },
    'how frames are paced',
  ),
  frames: whole(''),
  over: whole('frames over budget'),
  held: whole('frames that are late though their work fits'),
  heldBy: byReason(whole(''), 'these, by their longest wait'),
  waitNs: byReason(number('', 'ns'), 'mean a frame'),
  paths: rows(
    {
      path: whole('number of the path'),
      reason: oneOf(WAIT_REASONS, ''),
      meanNs: number('over all frames', 'ns'),
      worstNs: number('', 'ns'),
      worstFrame: whole(''),
      frames: whole('in which it waited'),
      waitedFor: rows(
        {
          lane: text(''),
          marker: text('the job'),
          mostly: orNone(whole('number of the path inside the job with the most own time')),
          times: whole('waits that ended with it'),
        },
        'for a job: what ended last while it waited, most often first',
      ),
    },
    'the longest first',
  ),
  steps: rows(
    {
      steps: whole('fixed steps'),
      frames: whole('that ran so many'),
      durationBeforeNs: number('median duration of the frame before', 'ns'),
      workNs: number('median', 'ns'),
    },
    'empty when no frame runs fixed steps',
  ),
  step: orNone(
    object(
      {
        path: orNone(whole('number of the path that runs once a step')),
        costNs: number('of one step; 0 without a path', 'ns'),
        lengthNs: number('game time of a step', 'ns'),
        usual: number('steps a frame'),
        utilisation: number('cost over length: at 1 the game can no longer keep up'),
      },
      'null without fixed steps',
    ),
  ),
}
export type WaitingTold = Told<typeof TELLS>

export const WAITING = question({
  name: 'waiting',
  version: 1,
  about:
    'What frames wait for: over against held, by reason, by path; and the fixed steps that catch up after it.',
  at: 'waiting',
  ofFrames: true,
  asks: {},
  tells: TELLS,
  async answer(source) {
    const evidence = await source.evidence()
    const waiting = waitingOf(evidence)
    const { firstFrame } = evidence.study
    return {
      ...waiting,
      paths: waiting.paths.map((path) => ({ ...path, worstFrame: path.worstFrame + firstFrame })),
    }
  },
})

export type WaitingAnswer = Answer<typeof WAITING>
