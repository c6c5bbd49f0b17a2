import { ask } from '../../api/ask.ts'
import { COURSE, type CourseAnswer } from '@lapsus/core/questions/course'
import type { LedgerEntry } from '@lapsus/core/questions/ledger'
import { useMemo } from 'react'
import { amount, count, ms, plural, three } from '@lapsus/core/words'
import { useAnswer } from '../../api/use-answer.ts'
import { PlaceLink } from '../../code/place-link.tsx'
import { RemedyMenu } from '../../plan/remedy-menu.tsx'
import { useFramesQuery } from '../../state/frames-query.ts'
import type { OpenTake } from '../../state/take.ts'
import { useView } from '../../state/view.ts'
import { CourseLine } from './course-line.tsx'
import { callersOf, type Basis } from './rows.ts'

interface CardProps {
  take: OpenTake
  path: number
  /** All paths of the marker on that lane, rather than the one. */
  wholeMarker: boolean
  rows: LedgerEntry[]
  basis: Basis
}

/** What one path, or a marker wherever it runs, did over the chosen frames: its course, how long single runs take, who calls it. */
export function CourseCard({ take, path, wholeMarker, rows, basis }: CardProps) {
  const query = useFramesQuery(take)
  const { marker, lane } = take.paths.get(path)
  const paths = useMemo(
    () =>
      wholeMarker
        ? take.paths.all.filter((one) => one.marker === marker && one.lane === lane).map(({ id }) => id)
        : [path],
    [take, path, wholeMarker, marker, lane],
  )
  const { answer, error } = useAnswer(
    `${take.detail.id} ${paths.join()} ${JSON.stringify(query)}`,
    (signal) => ask(COURSE, take.detail.id, query, { paths: paths.join(',') }, signal),
  )
  const callers = useMemo(() => callersOf(rows, marker, take), [rows, marker, take])
  const names = take.paths.chain(path).map((id) => take.markers.get(take.paths.get(id).marker)!.name)
  return (
    <section
      aria-label="The chosen path"
      className="border-t border-line bg-leaf/60 p-3"
      data-testid="course-card"
    >
      <h3 className="mb-1 flex items-center gap-2">
        <b className="font-serif text-base">{names.at(-1)}</b>
        <span className="min-w-0 truncate text-xs text-faint">
          {wholeMarker ? 'wherever it runs' : names.slice(0, -1).join(' › ')}
        </span>
        <PlaceLink at={take.markers.get(marker)?.at} game={take.detail.game} />
        <RemedyMenu path={names} />
      </h3>
      {error !== null && <p className="text-alarm">{error}</p>}
      {answer === null ? (
        // As much room as what comes: nothing moves under a pointer that is on its way.
        <p className="min-h-28 text-faint">Reading its course…</p>
      ) : (
        <div className="grid min-h-28 grid-cols-[minmax(0,1fr)_15rem_13rem] gap-5">
          <Course course={answer} />
          <RunTimes course={answer} />
          <Callers callers={callers} take={take} basis={basis} />
        </div>
      )}
    </section>
  )
}

function Course({ course }: { course: CourseAnswer }) {
  const change = useView((view) => view.change)
  const { callsPerFrame, peaks, from, selfNs } = course
  return (
    <div className="min-w-0">
      <Head>self time over the frames</Head>
      <div className="h-14">
        <CourseLine values={selfNs} onPick={(frame) => change({ frame: from + frame })} />
      </div>
      <p className="mt-1 text-xs text-faint">
        peaks in frame{' '}
        {peaks.slice(0, 5).map((frame) => (
          <button
            key={frame}
            type="button"
            className="mr-1.5 text-ink underline decoration-line underline-offset-2"
            onClick={() => change({ frame })}
          >
            {frame}
          </button>
        ))}
        · runs a frame: {amount(callsPerFrame.least)} at least, {amount(callsPerFrame.median)} at the median,{' '}
        {amount(callsPerFrame.most)} at most
      </p>
    </div>
  )
}

function RunTimes({ course: { runTimes, chunksRead, chunks } }: { course: CourseAnswer }) {
  if (runTimes === null) return <p className="text-xs text-faint">No single run was found to time.</p>
  const { bins, runs, leastNs, medianNs, p95Ns, worstNs } = runTimes
  const most = Math.max(...bins.map((bin) => bin.runs))
  return (
    <div>
      <Head>how long a run takes</Head>
      <div className="flex h-14 items-end gap-px" role="img" aria-label="Runs by how long they take">
        {bins.map((bin) => (
          <span
            key={bin.fromNs}
            title={`${plural(bin.runs, 'run')} from ${ms(bin.fromNs / 1e6)} to ${ms(bin.toNs / 1e6)}`}
            className="grow bg-work"
            style={{ height: `${bin.runs === 0 ? 0 : Math.max(4, (bin.runs / most) * 100)}%` }}
          />
        ))}
      </div>
      <p className="mt-1 flex justify-between text-xs text-faint tabular-nums">
        <span>{ms(leastNs / 1e6)}</span>
        <span title="median and 95th percentile">
          {three(medianNs / 1e6)} · {three(p95Ns / 1e6)}
        </span>
        <span>{ms(worstNs / 1e6)}</span>
      </p>
      <p className="text-xs text-faint">
        {count(runs)} runs{chunksRead < chunks ? `, from ${chunksRead} of ${chunks} parts of the take` : ''}
      </p>
    </div>
  )
}

function Callers({ callers, take, basis }: { callers: LedgerEntry[]; take: OpenTake; basis: Basis }) {
  return (
    <div className="min-w-0">
      <Head>called by</Head>
      {callers.length === 0 && <p className="text-xs text-faint">Group by path to see who calls it.</p>}
      {callers.slice(0, 4).map(({ key, totalMs, calls }) => (
        <p key={key} className="flex gap-2 text-xs tabular-nums">
          <span className="min-w-0 grow truncate">{take.markers.get(key)?.name ?? 'nothing: outermost'}</span>
          <span className="text-faint">{three(calls / basis.frames)} ×</span>
          <span>{ms(totalMs / basis.frames)}</span>
        </p>
      ))}
    </div>
  )
}

const Head = ({ children }: { children: string }) => <h4 className="mb-1 text-xs text-faint">{children}</h4>
