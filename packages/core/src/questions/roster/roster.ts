/** Everything that runs regularly, and whether it needs to. */
import { perSecond, periodOf, type Evidence } from '../../detect/index.ts'
import { mean, sum } from '../../stats/index.ts'
import type { PathCourse } from '../../study/index.ts'
import { anyNumber, number, oneOf, orNone, rows, text, whole, type Told } from '../shape.ts'

/** What runs in this share of the frames runs in nearly every one. */
const NEARLY_EVERY = 0.9

export const ROSTER_ROW = {
  sort: oneOf(['updater', 'marker'], 'a class of updaters, or a marker'),
  name: text(''),
  group: text('of the marker'),
  marker: orNone(whole('number of the marker that runs; null for updaters of which none is known')),
  path: orNone(whole('number of the marker’s costliest path')),
  instances: orNone(
    anyNumber('updaters registered, mean over the frames; null for a marker, like those below'),
  ),
  enabled: orNone(anyNumber('of these')),
  unseen: orNone(number('share of those enabled, 0 to 1')),
  far: orNone(number('share of those enabled')),
  asleep: orNone(number('share of those enabled')),
  everyFrames: orNone(
    number('from one run to the next: 1 for every frame, null where it is irregular', 'frames'),
  ),
  everyMs: orNone(anyNumber('interval that the updaters ask for; 0 for every frame', 'ms')),
  phase: orNone(number('frame of a run, modulo the period')),
  runsPerSecond: number('', 'a second'),
  msPerFrame: number('with all inside', 'ms'),
  msPerHour: number('of play like this', 'ms'),
  needless: orNone(number('share of the runs that changed nothing, of those that said; null where none did')),
  watches: rows(
    { name: text(''), looksPerSecond: number('', 'a second'), changesPerSecond: number('', 'a second') },
    'what it declares to look at',
  ),
}
export type RosterRow = Told<typeof ROSTER_ROW>

/** Updaters first, then markers, each by what they cost. */
export function rosterOf(evidence: Evidence): RosterRow[] {
  const { study, count } = evidence
  const { declarations } = study
  if (count === 0) return []
  const byMarker = new Map<number, PathCourse[]>()
  for (const { path, course } of evidence.work) {
    const known = byMarker.get(path.marker)
    if (known === undefined) byMarker.set(path.marker, [course])
    else known.push(course)
  }
  const rowOf = (marker: number | null, courses: PathCourse[]) => {
    const declared = marker === null ? undefined : declarations.markers.get(marker)
    const outermost = courses.filter(({ path }) => study.paths.get(path).outermostOfMarker)
    const sumOf = (pick: (course: PathCourse) => ArrayLike<number> | undefined, of = courses) =>
      of.reduce((total, course) => total + sum(pick(course)), 0)
    const runs = sumOf(({ calls }) => calls)
    const totalMs = sumOf(({ totalNs }) => totalNs, outermost) / 1e6
    const said = sumOf(({ details }) => details?.said)
    const frames = mergeFrames(courses)
    const period = periodOf({ frame: frames })
    return {
      marker,
      path: courses.length === 0 ? null : costliest(courses),
      group: declared?.group ?? '',
      everyFrames: period?.frames ?? null,
      phase: period?.phase ?? null,
      runsPerSecond: perSecond(evidence, runs),
      msPerFrame: totalMs / count,
      msPerHour: perSecond(evidence, totalMs) * 3600,
      needless: said > 0 ? sumOf(({ details }) => details?.needless) / said : null,
      watches: (declared?.watches ?? []).flatMap((id) => {
        const series = study.watches.get(id)
        const name = declarations.watches.get(id)?.name
        if (name === undefined) return []
        const rate = (values: Float64Array | undefined) => perSecond(evidence, sum(values))
        return [{ name, looksPerSecond: rate(series?.looks), changesPerSecond: rate(series?.changes) }]
      }),
      share: frames.length / count,
    }
  }
  const found: (RosterRow & { share: number })[] = []
  const ofUpdaters = new Set<number>()
  for (const [id, series] of study.updaters) {
    const { name, marker } = declarations.classOf(id)
    if (marker !== null) ofUpdaters.add(marker)
    const ofEnabled = (values: Float64Array) => meanShare(values, series.enabled)
    found.push({
      sort: 'updater',
      name,
      ...rowOf(marker, marker === null ? [] : (byMarker.get(marker) ?? [])),
      instances: meanKnown(series.instances),
      enabled: meanKnown(series.enabled),
      unseen: ofEnabled(series.unseen),
      far: ofEnabled(series.far),
      asleep: ofEnabled(series.asleep),
      everyMs: meanKnown(series.everyMs),
    })
  }
  for (const [marker, courses] of byMarker) {
    if (ofUpdaters.has(marker)) continue
    const none = { instances: null, enabled: null, unseen: null, far: null, asleep: null, everyMs: null }
    const row = {
      sort: 'marker' as const,
      name: declarations.marker(marker).name,
      ...rowOf(marker, courses),
      ...none,
    }
    if (row.share >= NEARLY_EVERY || row.everyFrames !== null) found.push(row)
  }
  return found
    .map(({ share: _, ...row }): RosterRow => row)
    .sort((a, b) => (a.sort === b.sort ? b.msPerFrame - a.msPerFrame : a.sort === 'updater' ? -1 : 1))
}

const costliest = (courses: PathCourse[]): number =>
  courses.reduce((a, b) => (sum(b.totalNs) > sum(a.totalNs) ? b : a)).path

/** The frames in which any of the paths ran. */
function mergeFrames(courses: PathCourse[]): Uint32Array {
  if (courses.length === 1) return courses[0]!.frame
  const ran = new Uint8Array(Math.max(0, ...courses.map(({ frame }) => (frame.at(-1) ?? -1) + 1)))
  for (const { frame } of courses) for (const at of frame) ran[at] = 1
  return Uint32Array.from(ran.keys()).filter((at) => ran[at] === 1)
}

const meanKnown = (values: Float64Array): number => mean(values.filter((value) => !Number.isNaN(value)))

function meanShare(values: Float64Array, of: Float64Array): number {
  let idle = 0
  let all = 0
  for (let i = 0; i < values.length; i++) {
    if (Number.isNaN(values[i]!)) continue
    idle += values[i]!
    all += of[i]!
  }
  return all > 0 ? Math.min(1, idle / all) : 0
}
