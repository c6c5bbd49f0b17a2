import { useMemo, type ReactNode } from 'react'
import { Link } from 'react-router'
import { idOfKey, laneOfKey } from '@lapsus/core/rollup'
import { longestWait, recorderShareNs } from '@lapsus/core/take'
import { Choice } from '../components/choice.tsx'
import { Hint } from '../components/hint.tsx'
import { Words } from '../components/words.tsx'
import { gaugeValue, ms, percent, plural, three } from '@lapsus/core/words'
import { firstSince, HEAVY_S, useLive } from '../state/live.ts'
import { useSettings } from '../state/settings.ts'
import type { OpenTake } from '../state/take.ts'
import { liveFigures, type LiveFigures } from './live-figures.ts'
import { LiveActions } from './live-actions.tsx'
import { LiveStrip } from './live-strip.tsx'
import { LiveTrial } from './live-trial.tsx'
import { Sparkline } from './sparkline.tsx'

const SECONDS = ['5', '10', '20', '60'] as const
const SECONDS_WORDS = { '5': '5 s', '10': '10 s', '20': '20 s', '60': '1 min' }
const MOST_MARKERS = 14

interface LiveViewProps {
  take: OpenTake
  budgetMs: number
  /** Goes to this frame, or to the last one, and stays there. */
  freeze(frame: number | null): void
}

/** A recording while it goes on. */
export function LiveView({ take, budgetMs, freeze }: LiveViewProps) {
  const { liveSeconds, setLiveSeconds } = useSettings()
  const trouble = useLive((live) => live.trouble)
  const others = useLive((live) => live.others)
  const { frames } = take
  const to = frames.startNs.length
  const from = firstSince(frames.startNs, liveSeconds)
  const figures = useMemo(() => liveFigures(frames, budgetMs, from, to), [frames, budgetMs, from, to])
  return (
    <div className="flex min-h-0 flex-col" data-testid="live">
      <div className="flex flex-wrap items-center gap-3 border-b border-line px-3 py-1.5">
        <LiveActions take={take} freeze={() => freeze(null)} />
        <span className="grow" />
        {others.length > 0 && (
          <span className="text-xs text-faint">
            also recording:{' '}
            {others.map((other) => (
              <Link key={other.id} to={`/takes/${other.id}`} className="mr-2 underline">
                {other.name || other.game}
              </Link>
            ))}
          </span>
        )}
        <Choice
          label="Seconds in sight"
          values={SECONDS}
          words={SECONDS_WORDS}
          value={String(liveSeconds) as (typeof SECONDS)[number]}
          onChange={(value) => setLiveSeconds(Number(value))}
        />
      </div>
      {trouble !== null && (
        <p role="alert" className="border-b border-line bg-pick px-3 py-1.5">
          {trouble} The game keeps what it cannot send; this view goes on when the server answers.
        </p>
      )}
      <LiveTrial take={take} target={1000 / budgetMs} />
      <div className="h-44 shrink-0 border-b border-line">
        <LiveStrip take={take} budgetMs={budgetMs} seconds={liveSeconds} onPick={freeze} />
      </div>
      {to === 0 ? (
        <Words title="Waiting for the first frames…">
          {take.detail.conditions.mode === 'keep-last'
            ? 'This game sends only what trips a wire, or what it is asked for.'
            : 'They arrive half a second after the game has begun.'}
        </Words>
      ) : (
        <div className="grid min-h-0 grow grid-cols-[15rem_minmax(0,1fr)_minmax(0,1.1fr)] overflow-auto">
          <Now take={take} figures={figures} />
          <Panel title={`Worst of the last ${liveSeconds} s`}>
            <Worst take={take} budgetMs={budgetMs} worst={figures.worst} freeze={freeze} />
            <Stretches take={take} freeze={freeze} />
            <Gauges take={take} />
          </Panel>
          <Panel title={`Heaviest in the last ${HEAVY_S} s, ms a frame`}>
            <Heaviest take={take} budgetMs={budgetMs} />
          </Panel>
        </div>
      )}
    </div>
  )
}

function Panel({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="border-r border-line px-4 py-3 last:border-r-0">
      <h2 className="mb-2 font-serif text-base font-semibold">{title}</h2>
      {children}
    </section>
  )
}

/** The frame now, and the last seconds in figures. */
function Now({ take, figures }: { take: OpenTake; figures: LiveFigures }) {
  const { frames, detail } = take
  const last = frames.startNs.length - 1
  const workMs = frames.workNs[last]! / 1e6
  const { work, over, held, fps, collections, collectMs, collectionsAMinute, budgetMs } = figures
  const { recorder } = detail.conditions
  const recorderMs = recorder === undefined ? null : recorderShareNs(frames, last, recorder) / 1e6
  const row = (name: string, value: string, about: string, alarm = false) => (
    <Hint key={name} text={about}>
      <div tabIndex={0} className="flex justify-between gap-3">
        <dt className="text-faint">{name}</dt>
        <dd className={`tabular-nums ${alarm ? 'text-alarm' : ''}`}>{value}</dd>
      </div>
    </Hint>
  )
  return (
    <section className="border-r border-line px-4 py-3">
      <h2 className="mb-1 font-serif text-base font-semibold">Now</h2>
      <p className={`font-serif text-3xl tabular-nums ${workMs > budgetMs ? 'text-alarm' : ''}`}>
        {ms(workMs)}
      </p>
      <p className="mb-3 text-xs text-faint">
        of work in frame {last}, {percent(workMs / budgetMs)} of the budget
        {longestWait(frames, last) !== null && `; then waited for ${longestWait(frames, last)}`}
      </p>
      <dl className="space-y-0.5">
        {row('frames a second', three(fps), 'Frames in the last seconds, over the time they took.')}
        {row('p50', ms(work.p50), 'Median work of a frame in the last seconds.')}
        {row('p99', ms(work.p99), '99th percentile of work in the last seconds.', work.p99 > budgetMs)}
        {row('over budget', String(over), 'Frames whose own work exceeds the budget.', over > 0)}
        {row('held', String(held), 'Frames that are late though their work fits: they waited.')}
        {row(
          'collections',
          `${collections}, ${ms(collectMs)}`,
          `Garbage collections in the last seconds and their pauses: ${three(collectionsAMinute)} a minute.`,
        )}
        {recorderMs !== null &&
          row(
            'recorder',
            `${ms(recorderMs)}, ${percent(recorderMs / Math.max(1e-9, workMs))}`,
            'What recording costs of this frame’s work, estimated from what a span cost at the start.',
          )}
        {row(
          'left out',
          plural(detail.dropped, 'frame'),
          'Whole frames that the game could not keep until they were sent.',
          detail.dropped > 0,
        )}
        {row('repaired', String(detail.repaired), 'Unbalanced calls of the probe that were mended.', false)}
      </dl>
    </section>
  )
}

interface WorstProps {
  take: OpenTake
  budgetMs: number
  worst: number[]
  freeze(frame: number): void
}

function Worst({ take: { frames }, budgetMs, worst, freeze }: WorstProps) {
  const nowNs = frames.startNs.at(-1)!
  return (
    <ol className="mb-4">
      {worst.map((frame) => {
        const workMs = frames.workNs[frame]! / 1e6
        return (
          <li key={frame}>
            <button
              type="button"
              className="grid w-full grid-cols-[6rem_6rem_1fr] rounded px-1 py-0.5 text-left tabular-nums hover:bg-line/50"
              title="Freeze, and read this frame"
              onClick={() => freeze(frame)}
            >
              <span>frame {frame}</span>
              <span className={workMs > budgetMs ? 'text-alarm' : ''}>{ms(workMs)}</span>
              <span className="text-faint">{three((nowNs - frames.startNs[frame]!) / 1e9)} s ago</span>
            </button>
          </li>
        )
      })}
    </ol>
  )
}

/** Kept stretches of a game that keeps only its worst seconds. */
function Stretches({ take, freeze }: { take: OpenTake; freeze(frame: number): void }) {
  const { stretches } = take.detail
  if (stretches.length === 0) return null
  return (
    <>
      <h3 className="mb-1 text-xs text-faint">Kept stretches</h3>
      <ul className="mb-4">
        {stretches.slice(-6).map(({ firstFrame, cause, at }) => (
          <li key={firstFrame}>
            <button
              type="button"
              className="w-full truncate rounded px-1 py-0.5 text-left hover:bg-line/50"
              onClick={() => freeze(firstFrame)}
            >
              {new Date(at).toLocaleTimeString('en-GB')} {cause}
            </button>
          </li>
        ))}
      </ul>
    </>
  )
}

function Gauges({ take }: { take: OpenTake }) {
  const history = useLive((live) => live.gauges)
  if (history.size === 0) return null
  return (
    <>
      <h3 className="mb-1 text-xs text-faint">Gauges</h3>
      <ul>
        {[...history].map(([id, values]) => {
          const gauge = take.detail.gauges.find((declared) => declared.id === id)
          return (
            <li key={id} className="grid grid-cols-[minmax(0,1fr)_6rem_6rem] items-center gap-2">
              <span className="truncate">{gauge?.name}</span>
              <span className="text-right tabular-nums">{gaugeValue(values.at(-1)!, gauge?.unit ?? '')}</span>
              <Sparkline values={values} />
            </li>
          )
        })}
      </ul>
    </>
  )
}

function Heaviest({ take, budgetMs }: { take: OpenTake; budgetMs: number }) {
  const ledger = useLive((live) => live.heaviest)
  if (ledger === null) return <p className="text-faint">Adding up…</p>
  const frames = ledger.to - ledger.from + 1
  const rows = ledger.rows.flatMap((row) => {
    const marker = take.markers.get(idOfKey(row.key))
    return marker === undefined || marker.kind.startsWith('wait:') ? [] : [{ ...row, marker }]
  })
  return (
    <ol>
      {rows.slice(0, MOST_MARKERS).map(({ key, marker, selfMs, calls }) => {
        const perFrame = selfMs / frames
        const lane = laneOfKey(key)
        return (
          <li
            key={key}
            className="grid grid-cols-[minmax(0,1fr)_4rem_5rem_5rem] items-center gap-2 py-px whitespace-nowrap"
          >
            <span className="truncate">
              {marker.name}
              {lane > 0 && (
                <span className="ml-1.5 text-xs text-faint">
                  {take.detail.lanes.find(({ id }) => id === lane)?.name}
                </span>
              )}
            </span>
            <span className="text-right tabular-nums">{three(perFrame)}</span>
            <span className="text-right text-faint tabular-nums">{three(calls / frames)} ×</span>
            <span className="h-2 overflow-hidden rounded-sm bg-line/60" aria-hidden>
              <span
                className="block h-full bg-work"
                style={{ width: `${Math.min(100, (perFrame / budgetMs) * 100)}%` }}
              />
            </span>
          </li>
        )
      })}
    </ol>
  )
}
