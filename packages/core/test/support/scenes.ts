/** Takes of frames of 20 ms, without any noise, in which one thing is wrong: every figure can be worked out by hand. */
import type { FindingKind } from '@lapsus/core/detect'
import { JOB_BEGUN, JOB_ENDED } from '@lapsus/core/format'
import { run, runs, type Run, type TestFrame, type TestGame } from './studies.ts'

const MS = 1e6
const FRAME = 20 * MS

type More = Partial<TestFrame> & { inside?: Run[] }

const timeOf = (all: Run[]): number =>
  all.reduce((sum, { selfNs, children = [] }) => sum + selfNs + timeOf(children), 0)

/** 2 ms of sim with what `more` adds inside it, 1 ms each of input and draw, and the wait for the refresh. */
const frames = (count: number, more: (frame: number) => More): TestFrame[] =>
  Array.from({ length: count }, (_, frame) => {
    const { inside = [], runs: besides = [], ...rest } = more(frame)
    const busyNs = 4 * MS + timeOf(inside) + timeOf(besides)
    return {
      ...rest,
      runs: [
        run('input', MS),
        run('sim', 2 * MS, { children: inside }),
        run('draw', MS),
        ...besides,
        run('refresh', Math.max(0, FRAME - busyNs - (rest.restNs ?? 0))),
      ],
    }
  })

export interface Scene {
  kind: FindingKind
  frames: TestFrame[]
  game?: TestGame
}

const every = (period: number, frame: number, phase = 0) => frame % period === phase
const COLLECT = {
  'collection (minor)': { kind: 'collect' as const },
  'collection (major)': { kind: 'collect' as const },
}
/** A load that goes up and down, from 20 to 100. */
const wave = (frame: number) => 60 + Math.round(40 * Math.sin(frame / 25))

/** Jobs of 8 ms on the worker, from 1 ms after the beginning of every 10th frame. */
const jobs = (count: number) => {
  const at = Array.from({ length: count }, (_, i) => i)
  return {
    job: Uint32Array.from(at.flatMap((i) => [i + 1, i + 1])),
    event: Uint8Array.from(at.flatMap(() => [JOB_BEGUN, JOB_ENDED])),
    lane: Uint32Array.from(at.flatMap(() => [1, 1])),
    // Every fourth is another one.
    marker: Uint32Array.from(at.flatMap((i) => (i % 4 === 3 ? [1, 1] : [0, 0]))),
    atNs: Float64Array.from(at.flatMap((i) => [i * 10 * FRAME + MS, i * 10 * FRAME + 9 * MS])),
  }
}

export const SCENES: Record<string, Scene> = {
  'bursts at a moment': {
    kind: 'spike-family',
    frames: frames(600, (frame) => ({
      inside: every(150, frame, 60) ? runs(24, 'search', MS) : [],
      moments: every(150, frame, 60) ? ['gate'] : [],
    })),
  },
  'bursts every four seconds, two paths in each': {
    kind: 'spike-family',
    frames: frames(1200, (frame) => ({
      inside: every(200, frame, 90) ? [...runs(12, 'search', MS), run('save', 9 * MS)] : [],
    })),
  },
  'one path that is slow at no time': {
    kind: 'spike-family',
    frames: frames(1200, (frame) => ({
      inside: [
        ...['a', 'b', 'c'].map((name) => run(name, MS)),
        run('think', [100, 230, 555, 601, 1010].includes(frame) ? 31 * MS : MS),
      ],
    })),
  },
  'waits for files': {
    kind: 'spike-family',
    frames: frames(1200, (frame) => ({
      runs: [100, 230, 555, 1010].includes(frame) ? [run('read', 40 * MS)] : [],
    })),
    game: { markers: { read: { kind: 'wait:io' } } },
  },
  'searches in every other frame': {
    kind: 'lookup-in-update',
    frames: frames(200, (frame) => ({ inside: every(2, frame) ? runs(8, 'find', 50_000) : [] })),
    game: { markers: { find: { tags: ['search'] } } },
  },
  'the same question three times': {
    kind: 'repeated-check',
    frames: frames(200, (frame) => ({
      inside: every(4, frame) ? [] : [1, 2].flatMap((key) => runs(3, 'test', 100_000, { key, effect: true })),
    })),
  },
  'old news': {
    kind: 'polling',
    frames: frames(500, (frame) => ({
      inside: runs(2, 'text', 250_000),
      watches: { tally: [2, every(25, frame) ? 1 : 0], mood: [2, every(50, frame) ? 1 : 0] },
    })),
    game: { markers: { text: { watches: ['tally', 'mood'] } } },
  },
  'news that runs tell': {
    kind: 'polling',
    frames: frames(500, (frame) => ({
      inside: [run('text', 250_000, { effect: every(5, frame) })],
      watches: { tally: [2, 0] },
    })),
    game: { markers: { text: { watches: ['tally'] } } },
  },
  'updates that say so': {
    kind: 'needless-updates',
    frames: frames(200, () => ({
      inside: [
        ...runs(10, 'npc', 50_000, { effect: true }),
        ...runs(30, 'npc', 40_000, { effect: false, children: [run('look', 10_000, { effect: false })] }),
      ],
      updaters: { npcs: [60, 50, 20] },
    })),
    game: { classes: { npcs: 'npc' } },
  },
  'updates by flags': {
    kind: 'needless-updates',
    frames: frames(200, () => ({
      inside: runs(50, 'npc', 30_000, { children: [run('look', 10_000)] }),
      updaters: { npcs: [60, 50, 20] },
    })),
    game: { classes: { npcs: 'npc' } },
  },
  'needless work of a worker': {
    kind: 'needless-updates',
    frames: frames(200, () => ({ worker: runs(4, 'wind', 500_000, { effect: false }) })),
  },
  'ghosts that stay, and cost': {
    kind: 'growth',
    frames: frames(1500, (frame) => ({
      inside: [run('haunt', 20_000 + frame * 400)],
      lives: { ghost: [every(25, frame) ? 1 : 0, 0] },
    })),
  },
  'a gauge that grows, which nothing follows': {
    kind: 'growth',
    frames: frames(1500, (frame) => ({ gauges: { entries: 10 + Math.floor(frame / 10) } })),
  },
  'all against all': {
    kind: 'all-pairs',
    frames: frames(900, (frame) => ({
      inside: runs(60, 'measure', wave(frame) * 1_000),
      gauges: { lights: wave(frame), other: 50 + (frame % 7) },
    })),
  },
  'the square of a load': {
    kind: 'all-pairs',
    frames: frames(900, (frame) => ({
      inside: [run('nested', wave(frame) ** 2 * 1_000)],
      gauges: { entries: wave(frame) },
    })),
  },
  'letters made and thrown away': {
    kind: 'spawn-churn',
    frames: frames(600, (frame) => ({
      inside: [
        ...runs(2, 'make', 100_000, { bytes: 6_000 }),
        run('other', 100_000, { bytes: 4_000 }),
        ...(every(60, frame, 30) ? [run('collection (minor)', 3 * MS)] : []),
      ],
      lives: { letter: [2, frame < 20 ? 0 : 2] },
    })),
    game: { markers: COLLECT },
  },
  'sparks that nobody marks': {
    kind: 'spawn-churn',
    frames: frames(600, (frame) => ({
      lives: { spark: [every(2, frame) ? 3 : 0, every(2, frame) ? 3 : 0] },
    })),
  },
  'bytes in every frame': {
    kind: 'steady-allocation',
    frames: frames(600, (frame) => ({
      inside: [
        run('greedy', 100_000, { bytes: 30_000 }),
        run('modest', 100_000, { bytes: 10_000 }),
        ...(every(60, frame, 30) ? [run('collection (minor)', 3 * MS)] : []),
      ],
    })),
    game: { markers: COLLECT },
  },
  'pauses of collections': {
    kind: 'collection-pauses',
    frames: frames(600, (frame) => ({
      inside: [
        run('greedy', 100_000, { bytes: 30_000 }),
        run('modest', 100_000, { bytes: 10_000 }),
        ...(every(60, frame, 30) ? [run('collection (minor)', frame === 90 ? 18 * MS : 3 * MS)] : []),
        ...(frame === 400 ? [run('collection (major)', 8 * MS)] : []),
      ],
    })),
    game: { markers: COLLECT },
  },
  'pauses without bytes': {
    kind: 'collection-pauses',
    frames: frames(300, (frame) => ({
      inside: every(60, frame, 30) ? [run('collection (minor)', 3 * MS)] : [],
    })),
    game: { markers: COLLECT },
  },
  'steps that pile up': {
    kind: 'catch-up',
    frames: frames(600, (frame) => {
      const steps = every(100, frame, 51) ? 9 : every(100, frame, 52) ? 7 : every(10, frame) ? 3 : 2
      return { steps, inside: runs(steps, 'step', MS) }
    }),
  },
  'steps without a marker': {
    kind: 'catch-up',
    frames: frames(600, (frame) => ({ steps: every(100, frame, 51) ? 9 : 2 })),
  },
  'chores in the same frame': {
    kind: 'lock-step',
    frames: frames(900, (frame) => ({
      inside: [
        ...(every(30, frame, 10) ? [run('sweep', 3 * MS, { children: [run('dust', MS)] })] : []),
        ...(every(60, frame, 10) ? [run('audit', 2 * MS)] : []),
      ],
    })),
  },
  'a floor that rises': {
    kind: 'shift',
    frames: frames(900, (frame) => ({
      inside: [...['a', 'b', 'c'].map((name) => run(name, MS)), run('weather', frame < 450 ? MS : 3 * MS)],
    })),
  },
  'a floor that rises all the time': {
    kind: 'shift',
    frames: frames(900, (frame) => ({
      inside: [
        ...['a', 'b', 'c', 'd'].map((name) => run(name, MS)),
        run('weather', MS + Math.round(3 * MS * Math.sqrt(frame / 900))),
      ],
    })),
  },
  'a floor that many raise': {
    kind: 'shift',
    frames: frames(900, (frame) => ({
      inside: [
        ...Array.from({ length: 9 }, (_, i) => run(`steady ${i}`, 200_000)),
        ...['a', 'b', 'c', 'd'].map((name) => run(name, frame < 450 ? 300_000 : 900_000)),
      ],
    })),
  },
  'a wait for jobs': {
    kind: 'job-wait',
    frames: frames(400, (frame) => ({
      runs: every(10, frame) ? [run('join', 5 * MS)] : [],
      worker: every(10, frame)
        ? [run(every(40, frame, 30) ? 'tide' : 'wind', MS, { children: [run('octave', 7 * MS)] })]
        : [],
    })),
    game: { markers: { wind: {}, tide: {}, join: { kind: 'wait:job' } }, jobs: jobs(40) },
  },
  'a wait of which nobody tells the job': {
    kind: 'job-wait',
    frames: frames(400, (frame) => ({ runs: every(10, frame) ? [run('join', 5 * MS)] : [] })),
    game: { markers: { join: { kind: 'wait:job' } } },
  },
  'late for graphics': {
    kind: 'held-by-graphics',
    frames: frames(400, (frame) => ({ runs: every(20, frame, 7) ? [run('gpu', 30 * MS)] : [] })),
    game: { markers: { gpu: { kind: 'wait:graphics' } } },
  },
  'late for the refresh': {
    kind: 'held-by-refresh',
    frames: frames(400, (frame) => ({ runs: every(20, frame, 7) ? [run('refresh', 20 * MS)] : [] })),
  },
  'a long call now and then': {
    kind: 'long-call',
    frames: frames(1200, (frame) => ({
      inside: [90, 280, 391, 777, 1003].includes(frame) ? [run('save', 7 * MS)] : [],
    })),
  },
  'slow in every frame': { kind: 'hotspot', frames: frames(300, () => ({ inside: [run('slow', 4 * MS)] })) },
  'often in every frame': {
    kind: 'hotspot',
    frames: frames(300, () => ({ inside: runs(200, 'tiny', 10_000) })),
  },
  'ten of a hundredth each': {
    kind: 'hotspot',
    frames: frames(300, () => ({ inside: runs(10, 'some', 400_000) })),
  },
  'heavy in two of five': {
    kind: 'hotspot',
    frames: frames(300, (frame) => ({ inside: [run('tide', frame % 5 < 2 ? 6 * MS : 10_000)] })),
  },
  'time that nobody marked': {
    kind: 'unmarked-time',
    frames: frames(300, (frame) => ({ restNs: frame % 2 === 0 ? 8 * MS : 10 * MS })),
  },
  'many small costs': {
    kind: 'spread-thin',
    frames: frames(200, () => ({
      inside: [
        run('world', 100_000, { children: Array.from({ length: 60 }, (_, i) => run(`part ${i}`, 80_000)) }),
      ],
    })),
  },
  'a thread that is taken away': {
    kind: 'interruptions',
    frames: frames(900, (frame) => ({
      inside: ['a', 'b', 'c'].map((name) => run(name, 2 * MS)),
      takenNs: every(200, frame, 50) ? 4 * MS : every(7, frame) ? 900_000 : 0,
    })),
  },
  'a machine that is slow at times': {
    kind: 'interruptions',
    frames: frames(900, (frame) => {
      const times = [130, 131, 400, 700].includes(frame) ? 3 : 1
      return { inside: ['a', 'b', 'c', 'd'].map((name) => run(name, 3 * MS * times)) }
    }),
  },
  'runs that are struck': {
    kind: 'interruptions',
    frames: frames(900, (frame) => ({
      inside: ['a', 'b', 'c', 'd'].map((name, i) =>
        run(name, 3 * MS + ([100, 260, 410, 590, 800].indexOf(frame) % 4 === i ? 9 * MS : 0)),
      ),
    })),
  },
  'a heap that fills up': {
    kind: 'growth',
    frames: frames(1500, (frame) => ({
      // Between collections 10 kB a frame come, of which 1 kB stays.
      gauges: { heap: 5e6 + frame * 1_000 + (frame % 50) * 9_000 },
      inside: every(50, frame) ? [run('collection (minor)', MS)] : [],
      lives: { ghost: [every(25, frame) ? 1 : 0, 0] },
    })),
    game: { markers: COLLECT, conditions: { more: { 'memory limit MB': 10 } } },
  },
  'a heap that stays as it is': {
    kind: 'growth',
    frames: frames(600, (frame) => ({
      gauges: { heap: 5e6 + (frame % 50) * 9_000 },
      lives: { ghost: [every(25, frame) ? 1 : 0, 0] },
    })),
    game: { markers: COLLECT, conditions: { more: { 'memory limit MB': 10 } } },
  },
  'a heap that empties': {
    kind: 'growth',
    frames: frames(600, (frame) => ({
      ...(frame < 20 ? {} : { gauges: { heap: 9e6 - frame * 1_000 } }),
      lives: { ghost: [every(25, frame) ? 1 : 0, 0] },
    })),
    game: { conditions: { more: { 'memory limit MB': 10 } } },
  },
  'instances of which few are told': {
    kind: 'needless-updates',
    frames: frames(200, (frame) => ({
      inside: runs(40, 'npc', 30_000),
      ...(frame === 50 ? { updaters: { npcs: [60, 40, 10] as [number, number, number] } } : {}),
    })),
    game: { classes: { npcs: 'npc' } },
  },
}
