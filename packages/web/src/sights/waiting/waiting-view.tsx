import { axis } from '../../components/look.ts'
import { ask } from '../../api/ask.ts'
import { WAITING, type WaitingAnswer } from '@lapsus/core/questions/waiting'
import { useCallback } from 'react'
import { WAIT_REASONS } from '@lapsus/core/take'
import { ms, percent, plural, three } from '@lapsus/core/words'
import type { ChartConfiguration } from 'chart.js'
import { useAnswer } from '../../api/use-answer.ts'
import type { Palette } from '../../components/palette.ts'
import { Chart } from '../../components/chart.tsx'
import { Table } from '../../components/table.tsx'
import { Words } from '../../components/words.tsx'
import { useFramesQuery } from '../../state/frames-query.ts'
import type { OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'

/** Frames over budget against frames that were held, what held them, and steps that catch up. */
export function WaitingView({ take }: { take: OpenTake }) {
  const query = useFramesQuery(take)
  const { answer, error } = useAnswer(`${take.detail.id} waiting ${JSON.stringify(query)}`, (signal) =>
    ask(WAITING, take.detail.id, query, {}, signal),
  )
  if (error !== null)
    return (
      <Words alarm title="Waiting could not be read">
        {error}
      </Words>
    )
  if (answer === null) return <Words title="Telling work from waiting…" />
  return (
    <section aria-label="Waiting" className="h-full overflow-y-auto" data-testid="waiting">
      <Summary waiting={answer} />
      <div className="grid grid-cols-2 gap-x-6 px-3 py-2">
        <div>
          <h3 className="mb-1 font-serif text-base">What is waited for</h3>
          <Paths waiting={answer} take={take} />
        </div>
        <div>
          <h3 className="mb-1 font-serif text-base">Fixed steps</h3>
          <Steps waiting={answer} take={take} />
        </div>
      </div>
    </section>
  )
}

const PACING_WORDS = {
  uncapped: 'Frames come as fast as they can',
  capped: 'Frames are held to a limit',
  'refresh-locked': 'Frames wait for the display’s refresh',
}

function Summary({ waiting }: { waiting: WaitingAnswer }) {
  const { frames, over, held, heldBy, pacing, waitNs } = waiting
  const share = (count: number) => percent(count / Math.max(1, frames))
  const good = frames - over - held
  const reasons = WAIT_REASONS.filter((reason) => heldBy[reason] > 0)
  return (
    <div className="border-b border-line px-3 py-2">
      <p
        className="flex h-5 overflow-hidden rounded-sm"
        role="img"
        aria-label="Frames by what became of them"
      >
        <span className="bg-work" style={{ flexGrow: good }} title={`${plural(good, 'frame')} in time`} />
        <span className="bg-wait" style={{ flexGrow: held }} title={`${plural(held, 'frame')} held`} />
        <span
          className="bg-alarm"
          style={{ flexGrow: over }}
          title={`${plural(over, 'frame')} over budget`}
        />
      </p>
      <p className="mt-1.5 flex flex-wrap gap-x-5 tabular-nums">
        <span>{share(good)} in time</span>
        <span className={over > 0 ? 'text-alarm' : ''}>
          {share(over)} over: their own work is too much ({plural(over, 'frame')})
        </span>
        <span>
          {share(held)} held
          {reasons.length > 0 && `: ${reasons.map((reason) => `${heldBy[reason]} by ${reason}`).join(', ')}`}
        </span>
      </p>
      <p className="mt-1 text-xs text-faint tabular-nums">
        {PACING_WORDS[pacing.pacing]}
        {pacing.periodMs !== null && ` of ${ms(pacing.periodMs)} (${percent(pacing.share)} of them)`}
        {pacing.missed !== null && `; ${plural(pacing.missed, 'refresh', 'refreshes')} missed`}. A frame
        waits, on average,{' '}
        {WAIT_REASONS.filter((reason) => waitNs[reason] > 0)
          .map((reason) => `${ms(waitNs[reason] / 1e6)} for ${reason}`)
          .join(', ') || 'for nothing'}
        .
      </p>
    </div>
  )
}

function Paths({ waiting: { paths }, take }: { waiting: WaitingAnswer; take: OpenTake }) {
  const { path: chosen, change } = useView()
  if (paths.length === 0)
    return (
      <p className="text-faint">
        No marker of this game waits. Give waiting a kind (wait:refresh, wait:graphics, wait:job, wait:io), or
        it counts as work.
      </p>
    )
  return (
    <Table
      label="What is waited for"
      rows={paths}
      keyOf={({ path }) => path}
      isChosen={({ path }) => path === chosen}
      onChoose={({ path, worstFrame }) => change({ path, frame: worstFrame })}
      columns={[
        {
          id: 'name',
          head: 'marker',
          about: 'Choose it to go to its longest wait',
          align: 'left',
          cell: ({ path, waitedFor }) => (
            <>
              {take.markers.get(take.paths.get(path).marker)!.name}
              {waitedFor.slice(0, 2).map(({ marker, lane, mostly, times }) => (
                <span key={`${marker} ${lane}`} className="block text-xs text-faint">
                  for {marker} on {lane}, {times} ×
                  {mostly !== null &&
                    `, mostly ${take.paths
                      .chain(mostly)
                      .map((id) => take.markers.get(take.paths.get(id).marker)!.name)
                      .join(' › ')}`}
                </span>
              ))}
            </>
          ),
        },
        {
          id: 'reason',
          head: 'for',
          about: 'From the marker’s kind',
          align: 'left',
          cell: ({ reason }) => reason,
        },
        {
          id: 'mean',
          head: 'ms/frame',
          about: 'On average over all chosen frames',
          cell: ({ meanNs }) => three(meanNs / 1e6),
        },
        {
          id: 'worst',
          head: 'worst',
          about: 'The longest in one frame, ms',
          cell: ({ worstNs }) => three(worstNs / 1e6),
        },
        { id: 'frames', head: 'frames', about: 'In which it waited at all', cell: ({ frames }) => frames },
      ]}
    />
  )
}

function Steps({ waiting: { steps, step }, take }: { waiting: WaitingAnswer; take: OpenTake }) {
  const configure = useCallback(
    (palette: Palette): ChartConfiguration => ({
      type: 'scatter',
      data: {
        datasets: [
          {
            data: steps.map((one) => ({ x: one.durationBeforeNs / 1e6, y: one.steps })),
            backgroundColor: palette.work,
            pointRadius: steps.map(({ frames }) => 2 + Math.min(6, Math.log2(frames + 1))),
          },
        ],
      },
      options: {
        plugins: {
          tooltip: {
            callbacks: {
              label: ({ dataIndex }) => {
                const one = steps[dataIndex]!
                return `${plural(one.frames, 'frame')} with ${one.steps} steps: work ${ms(one.workNs / 1e6)}, after frames of ${ms(one.durationBeforeNs / 1e6)}`
              },
            },
          },
        },
        scales: {
          x: axis('duration of the frame before, ms'),
          y: axis('steps in the frame'),
        },
      },
    }),
    [steps],
  )
  if (step === null)
    return <p className="text-faint">The game runs no fixed steps, or does not tell: probe.steps(n).</p>
  const name = step.path === null ? null : take.markers.get(take.paths.get(step.path).marker)!.name
  return (
    <>
      <p className="text-[12.5px]">
        {three(step.usual)} a frame as a rule, {Math.max(...steps.map((one) => one.steps))} at most.{' '}
        {name === null
          ? 'No marker runs once for each, so that their cost is not known.'
          : `A step (${name}) takes ${ms(step.costNs / 1e6)} of the ${ms(step.lengthNs / 1e6)} it stands for: ${percent(step.utilisation)}${step.utilisation > 0.8 ? ', which leaves no time to catch up' : ''}.`}
      </p>
      <div className="mt-2 h-56">
        <Chart label="Steps of a frame against the duration of the frame before" configure={configure} />
      </div>
    </>
  )
}
