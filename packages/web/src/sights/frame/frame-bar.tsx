import { ChevronLeft, ChevronRight, ChevronsLeft, ChevronsRight, X } from 'lucide-react'
import { classOf, longestWait, NS_PER_MS, recorderShareNs, WAIT_REASONS } from '@lapsus/core/take'
import { IconButton } from '../../components/button.tsx'
import { Choice } from '../../components/choice.tsx'
import { Hint } from '../../components/hint.tsx'
import { count, ms, percent, plural } from '@lapsus/core/words'
import { plannedNs } from '../../plan/planned-frames.ts'
import { useForecastFrames } from '../../plan/use-forecast.ts'
import type { OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'
import { frameSteps } from '../../state/frame-steps.ts'

/** Which frame is on the page, in figures. */
export function FrameBar({ take, budgetMs }: { take: OpenTake; budgetMs: number }) {
  const { frame, planned, change } = useView()
  const { frames } = take
  const forecast = useForecastFrames(take)
  const afterNs = plannedNs(forecast, frame)
  const { step, stepOver } = frameSteps(take, budgetMs)
  const workMs = frames.workNs[frame]! / NS_PER_MS
  const waits = WAIT_REASONS.filter((reason) => frames.waitNs[reason][frame]! > 0)
  const kind = classOf(frames, frame, budgetMs * NS_PER_MS)
  return (
    <div className="flex h-9 items-center gap-2 border-b border-line px-2" data-testid="frame-bar">
      <div className="flex">
        <IconButton label="Frame over budget before (Shift ←)" onClick={() => stepOver(-1)}>
          <ChevronsLeft size={16} />
        </IconButton>
        <IconButton label="Frame before (←)" onClick={() => step(-1)}>
          <ChevronLeft size={16} />
        </IconButton>
        <IconButton label="Frame after (→)" onClick={() => step(1)}>
          <ChevronRight size={16} />
        </IconButton>
        <IconButton label="Frame over budget after (Shift →)" onClick={() => stepOver(1)}>
          <ChevronsRight size={16} />
        </IconButton>
      </div>
      <b className="font-serif text-base whitespace-nowrap">frame {frame}</b>
      <span className="truncate text-faint tabular-nums">
        work <span className="text-ink">{ms(workMs)}</span>
        {waits.map((reason) => ` + ${reason} ${ms(frames.waitNs[reason][frame]! / NS_PER_MS)}`).join('')}
      </span>
      {kind === 'over' && (
        <span className="whitespace-nowrap text-alarm">over by {ms(workMs - budgetMs)}</span>
      )}
      {kind === 'held' && <span className="whitespace-nowrap">held by {longestWait(frames, frame)}</span>}
      {(forecast !== null || planned) && (
        <>
          <span className="grow" />
          <Choice
            label="The frame"
            values={['recorded', 'planned']}
            words={PLANNED_WORDS}
            value={planned ? 'planned' : 'recorded'}
            onChange={(value) => change({ planned: value === 'planned' })}
          />
        </>
      )}
      {planned && afterNs !== null && (
        <span className="whitespace-nowrap tabular-nums" data-testid="planned-work">
          → {ms(afterNs / NS_PER_MS)}
        </span>
      )}
    </div>
  )
}

const PLANNED_WORDS = { recorded: 'recorded', planned: 'with the plan' }

/** What recording itself cost of the frame. */
export function RecorderShare({ take: { frames, detail }, frame }: { take: OpenTake; frame: number }) {
  const withoutRecorder = useView((view) => view.withoutRecorder)
  const { recorder } = detail.conditions
  if (recorder === undefined) return null
  const shareNs = recorderShareNs(frames, frame, recorder)
  const workNs = frames.workNs[frame]! + (withoutRecorder ? shareNs : 0)
  const spans = plural(frames.mainSpans[frame]!, 'span')
  return (
    <Hint text={`${spans} at about ${recorder.spanNs} ns each, as measured when the recording began.`}>
      <span tabIndex={0} className="min-w-0 truncate text-xs text-faint" data-testid="recorder-share">
        recorder {ms(shareNs / NS_PER_MS)}, {percent(shareNs / Math.max(1, workNs))}
        {withoutRecorder && ' (taken out)'}
      </span>
    </Hint>
  )
}

const RECORDER_WORDS = { as: 'as recorded', without: 'less the recorder' }

/** Which frames the ledger sums up. */
export function ScopeBar({ take }: { take: OpenTake }) {
  const { range, withoutRecorder, change } = useView()
  const all = take.frames.startNs.length
  return (
    <div className="flex h-9 items-center gap-2 border-b border-line px-3">
      <b className="font-serif text-base">Ledger</b>
      {range === null ? (
        <span className="whitespace-nowrap text-faint" title="Drag on the strip to choose some">
          of all {count(all)} frames
        </span>
      ) : (
        <>
          <span className="min-w-0 truncate text-faint">
            of {plural(range.to - range.from + 1, 'frame')}, {range.from} to {range.to}
          </span>
          <IconButton label="All frames again (a)" onClick={() => change({ range: null })}>
            <X size={14} />
          </IconButton>
        </>
      )}
      <span className="grow" />
      {take.detail.conditions.recorder !== undefined && (
        <Choice
          label="Recorder’s cost"
          values={['as', 'without']}
          words={RECORDER_WORDS}
          value={withoutRecorder ? 'without' : 'as'}
          onChange={(value) => change({ withoutRecorder: value === 'without' })}
        />
      )}
    </div>
  )
}
