import { periodOf } from '../../detect/index.ts'
import { mean, steadyRandom, sum } from '../../stats/index.ts'
import { ms, plural } from '../../words/index.ts'
import type { Change } from '../change.ts'
import { choice, number, numberOf, type NumberInput, type Values } from '../input.ts'
import { commonPeriod, loadOfPhases, optimisePhases, randomWorst, type PeriodicTask } from '../phases.ts'
import { HEADROOM, largestOf, type BarPanel, type Picture } from '../picture.ts'
import { largest } from '../shares.ts'
import { outcome, Refusal, type Outcome, type Remedy } from '../remedy.ts'
import type { Site } from '../site.ts'

const NOBODY = 'nobody'
const ALL = 'all'
/** Partners fall into the same frames at least this often. */
const COMMON = 0.5
const MOST_PARTNERS = 8

interface Task extends PeriodicTask {
  path: number
  phase: number
}

/** Periodic work is parted, so that it does not fall into the same frames. */
export const remedy: Remedy = {
  kind: 'stagger',
  order: 4,
  words: 'stagger',
  about: 'periodic work is put into different frames, or each part of it into one of its own',
  price: 'none but bookkeeping',
  effort: 'small',
  makes:
    'others that run regularly in the same frames move by their `shift`; or its own burst is done in `parts` over the frames that follow; what runs in most frames runs in turn, 1 of `parts`',
  suggests:
    'shifts: phases that make the worst frame of the common period (at most 5,040 frames) lightest: costliest first, then single ones and pairs moved while it helps; the worst with random phases (middle of 200 draws) beside it',
  limits: { COMMON, MOST_PARTNERS },
  inputs(site) {
    const own = taskOf(site, site.workPath)
    const partners = own === null ? [] : partnersOf(site, own)
    const calls = site.columns.calls.filter((runs) => runs > 0)
    const runs = calls.length === 0 ? 0 : mean(calls)
    const parts =
      partners.length > 0 || runs < 2 ? 1 : Math.max(2, Math.min(own?.period ?? 2, Math.floor(runs), 60))
    if (partners.length === 0 && runs < 2) {
      throw new Refusal(
        `nothing else runs regularly in the frames of ${site.name}, and it runs once in each: there is nothing to part`,
      )
    }
    return [
      choice('with', {
        words: 'parted from',
        about: 'what runs regularly and falls into the same frames',
        origin: 'measured',
        choices: [
          { id: ALL, words: 'all that follow' },
          ...partners.map(({ path }) => ({ id: site.nameOf(path), words: site.nameOf(path) })),
          { id: NOBODY, words: 'nobody' },
        ],
        suggested: partners.length > 0 ? ALL : NOBODY,
      }),
      ...shiftInputs(site, own, partners),
      number('parts', {
        words: 'its own runs in parts',
        about: 'a different part of its runs in each of so many frames; 1 leaves them together',
        origin: 'measured',
        suggested: parts,
        least: 1,
        most: 600,
        whole: true,
      }),
    ]
  },
  apply(site, values) {
    const own = taskOf(site, site.path)
    const all = own === null ? [] : partnersOf(site, own)
    const wanted = values['with']
    const partners = all.filter(({ path }) => wanted === ALL || wanted === site.nameOf(path))
    const parts = numberOf(values, 'parts')
    const tasks = own === null ? [] : [own, ...partners]
    const shifted = tasks.length > 1 ? shift(site, tasks, values) : outcome([])
    if (parts === 1) return shifted
    const spread = runsNearlyAlways(site) ? inTurn(site, parts) : spreadOut(site, parts)
    return {
      ...spread,
      changes: [...shifted.changes, ...spread.changes],
      picture: shifted.picture ?? spread.picture,
    }
  },
}

function taskOf(site: Site, path: number): Task | null {
  const course = site.base.study.courses.get(path)
  const period = course === undefined ? null : periodOf(course)
  if (period === null) return null
  const tree = site.replay.treeNs(path)
  const ran = tree.filter((ns) => ns > 0)
  return {
    path,
    period: period.frames,
    phase: period.phase,
    cost: ran.length === 0 ? 0 : sum(ran) / ran.length,
  }
}

/** What runs in most frames can only be left out in some; what comes in bursts can be spread over the frames between. */
const runsNearlyAlways = (site: Site): boolean =>
  site.columns.calls.reduce((frames, runs) => frames + (runs > 0 ? 1 : 0), 0) > site.count / 2

/** Other outermost periodic work of the main lane that falls into the same frames, the dearest first. */
function partnersOf(site: Site, own: Task): Task[] {
  if (own.period < 2) return []
  return site.base
    .once(`partners ${own.path}`, () => inSameFrames(site, own.path))
    .flatMap((path) => taskOf(site, path) ?? [])
    .sort((a, b) => b.cost - a.cost)
    .slice(0, MOST_PARTNERS)
}

function inSameFrames({ base: { study, evidence } }: Site, own: number): number[] {
  const frames = new Set(study.courses.get(own)!.frame)
  const related = (path: number) =>
    study.paths.chain(path).includes(own) || study.paths.chain(own).includes(path)
  const found = evidence.work.flatMap(({ path, course }) => {
    if (related(path.id) || course.frame.length > evidence.count / 2) return []
    const common = course.frame.reduce((count, frame) => count + (frames.has(frame) ? 1 : 0), 0)
    if (common < COMMON * Math.min(frames.size, course.frame.length)) return []
    return periodOf(course) === null ? [] : [path.id]
  })
  return found.filter(
    (path) => !study.paths.chain(path).some((above) => above !== path && found.includes(above)),
  )
}

const shiftName = (name: string) => `shift ${name}`

/** By how many frames each is moved: as the optimiser says, seen from the first. */
function shiftInputs(site: Site, own: Task | null, partners: Task[]): NumberInput[] {
  if (own === null) return []
  const tasks = [own, ...partners]
  const phases = optimisePhases(tasks)
  return partners.map((task, i) => {
    const name = site.nameOf(task.path)
    // Seen from the first task, which stays where it is.
    const moved = phases[i + 1]! - task.phase - (phases[0]! - own.phase)
    return number(shiftName(name), {
      words: `${name} later by`,
      unit: 'frames',
      about: `it runs every ${plural(task.period, 'frame')}; found by trying phases over the common period`,
      origin: 'measured',
      suggested: ((moved % task.period) + task.period) % task.period,
      most: task.period,
      whole: true,
    })
  })
}

function shift(site: Site, tasks: Task[], values: Values): Outcome {
  const [own, ...partners] = tasks as [Task, ...Task[]]
  const shifts = partners.map(({ path }) => numberOf(values, shiftName(site.nameOf(path))))
  const changes = partners.map((task, i) => moveLater(site, task.path, shifts[i]!))
  const length = Math.max(commonPeriod(tasks), own.period)
  const phases = [own.phase % own.period, ...partners.map(({ phase, period }) => phase % period)]
  const moved = phases.map((phase, i) => (i === 0 ? phase : (phase + shifts[i - 1]!) % tasks[i]!.period))
  const inMs = (load: Float64Array) => load.map((ns) => ns / 1e6)
  const before = inMs(loadOfPhases(tasks, phases, length))
  const after = inMs(loadOfPhases(tasks, moved, length))
  const random = randomWorst(tasks, steadyRandom()) / 1e6
  return outcome(changes, {
    price: ['none but bookkeeping'],
    notes: [
      `the worst frame carries ${ms(largest(after))} of it instead of ${ms(largest(before))}; with phases drawn at random ${ms(random)}`,
    ],
    picture: loads(before, after, random),
  })
}

/** All runs of a path some frames later; what would come after the end stays in the last frame. */
function moveLater(site: Site, path: number, frames: number): Change {
  const count = site.count
  if (frames === 0) return { path }
  const tree = site.replay.treeNs(path)
  const put = site.filled(0)
  for (let frame = 0; frame < count; frame++) {
    const to = Math.min(count - 1, frame + frames)
    put[to]! += landedNs(site, tree[frame]!, frame, to)
  }
  return { path, keep: site.filled(0), put, keepBytes: site.filled(1) }
}

/** What work of one frame costs in another, ns: as much as the machine makes it cost there. */
const landedNs = ({ base: { slowness } }: Site, ns: number, from: number, to: number): number =>
  from === to ? ns : ns * (slowness[to]! / slowness[from]!)

/** Of what runs in every frame only a part, another each time. */
function inTurn(site: Site, parts: number): Outcome {
  const oldMs = (parts - 1) * site.frameMs
  return outcome([{ path: site.path, keep: site.filled(1 / parts) }], {
    price: [`each runs in one frame of ${parts}: up to ${ms(oldMs)} old`],
    stalenessMs: { mean: oldMs / 2, worst: oldMs },
  })
}

/** A burst in equal parts over so many frames from its own on. */
function spreadOut(site: Site, parts: number): Outcome {
  const tree = site.treeNs()
  const { count } = site
  const after = site.filled(0)
  for (let frame = 0; frame < count; frame++) {
    if (tree[frame] === 0) continue
    for (let part = 0; part < parts; part++) {
      const to = Math.min(count - 1, frame + part)
      after[to]! += landedNs(site, tree[frame]! / parts, frame, to)
    }
  }
  const keep = tree.map((ns, frame) => (ns > 0 ? Math.min(1, after[frame]! / ns) : 1))
  const put = after.map((ns, frame) => Math.max(0, ns - tree[frame]! * keep[frame]!))
  return outcome([{ path: site.path, keep, put, keepBytes: site.filled(1) }], {
    price: [`the last part runs ${plural(parts - 1, 'frame')} after the first`],
    latencyFrames: { mean: (parts - 1) / 2, worst: parts - 1 },
  })
}

/** The load of periodic work over the common period, ms by frame. @param randomWorst with phases drawn at random */
export function loads(before: Float64Array, after: Float64Array, randomWorst: number): Picture {
  const most = largestOf(before, after) * HEADROOM
  const panel = (values: Float64Array, words: string): BarPanel => ({
    form: 'bars',
    most,
    values,
    tone: 'work',
    labels: [words, ms(largestOf(values))],
  })
  return {
    words: 'Load of the periodic work over its common period, before and after',
    foot: `the common period, ${plural(before.length, 'frame')}`,
    legend: [
      { words: 'load of each frame', tone: 'work' },
      { words: `worst with phases at random, ${ms(randomWorst)}`, tone: 'faint', isLine: true },
    ],
    panels: [
      panel(before, 'now'),
      { ...panel(after, 'parted'), line: { at: Math.min(most, randomWorst), tone: 'faint' } },
    ],
  }
}
