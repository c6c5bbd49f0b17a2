/** Cases on both sides of every figure by which the machine is told from the game. */
import { machineSpeed, spellsOf, type Study } from '@lapsus/core/study'
import { between, BUDGET, evidenceOf, MS, still, type Edge } from './edges.ts'
import { run, runs, studyFrom, type Run, type TestFrame } from './studies.ts'

// --- speed

const plain = (count: number, inside: (frame: number) => Run[] = () => []): Study =>
  studyFrom(Array.from({ length: count }, (_, frame) => ({ runs: inside(frame) })))

/** How many paths tell the machine's speed. */
const telling = (study: Study) => machineSpeed(study).telling.length

export const speed: Record<string, Edge> = {
  LEAST_BLOCK_FRAMES: (least) =>
    between(least - 1, least, (frames) => machineSpeed(plain(2 * frames)).factor.length === 2),
  MOST_BLOCKS: (most) =>
    between(15 * most + 1, 15 * most, (count) => machineSpeed(plain(count)).blockFrames === 15),
  LEAST_CELLS: (least) =>
    between(
      least - 1,
      least,
      (times) => telling(plain(60, (frame) => runs(frame < times ? 1 : 0, 'x', MS))) === 1,
    ),
  LEAST_NS: (least) => between(least - 1, least, (ns) => telling(plain(60, () => [run('x', ns)])) === 1),
  LEAST_STEPS: (least) =>
    between(10_000 * least - 1, 10_000 * least, (ns) => {
      const recorder = { spanNs: 100, clockReadNs: 50, clockResolutionNs: 10_000 }
      const study = plain(60, () => [run('x', ns)])
      return telling({ ...study, conditions: { recorder } }) === 1
    }),
  LEAST_TELLING: (least) =>
    between(least - 1, least, (paths) => {
      const study = plain(90, (frame) =>
        Array.from({ length: paths }, (_, i) => run(`path ${i}`, frame < 15 ? 2 * MS : MS)),
      )
      return machineSpeed(study).factor[0] === 2
    }),
  SLOWER: (slower) => between(slower - 0.01, slower, (factor) => hasSpell(factor)),
  FASTER: (faster) => between(faster + 0.01, faster, (factor) => hasSpell(factor)),
}

const hasSpell = (factor: number): boolean =>
  spellsOf({ blockFrames: 15, factor: Float64Array.of(1, factor, 1) }, 45).length === 1

// --- strikes

/** Runs of 1 ms of `x` in each frame, and what is too much in some of them, by frame. */
const struck = (excess: Record<number, number>, usualNs = MS, more: (frame: number) => Run[] = () => []) =>
  still(400, (frame) => ({ inside: [run('x', usualNs + Math.round(excess[frame] ?? 0)), ...more(frame)] }))

const nameOf = (frames: TestFrame[]) => {
  const { strikes, names } = evidenceOf(frames)
  return [...strikes.ownPaths].map((path) => (path === null ? '' : names(path).at(-1)!))
}

const IRREGULAR = [31, 97, 140, 215, 290, 333, 371, 388, 392]
const at = (excessNs: readonly number[]): Record<number, number> =>
  Object.fromEntries(excessNs.map((ns, i) => [IRREGULAR[i]!, ns]))

export const strikes: Record<string, Edge> = {
  LEAST_EXCESS: (least) =>
    between(
      0.98 * least,
      1.02 * least,
      (share) => evidenceOf(struck({ 100: share * BUDGET })).strikes.byChance.length === 1,
    ),
  // Runs take 1, 2 and 3 ms in turn: the median deviation is 1 ms.
  SIGMAS: (sigmas) =>
    between(-0.05, 0.05, (more) => {
      const frames = still(400, (frame) => ({
        inside: [run('x', (frame === 150 ? 2 + sigmas * 1.4826 + more : 1 + (frame % 3)) * MS)],
      }))
      return evidenceOf(frames).strikes.byChance.length === 1
    }),
  TOLD: (told) =>
    between(told - 0.01, told + 0.01, (share) => {
      const frames = struck({ 100: 20 * MS }).map((frame, i) => ({
        ...frame,
        takenNs: i === 100 ? share * 20 * MS : 0,
      }))
      return evidenceOf(frames).strikes.byChance.length === 0
    }),
  TOGETHER: (together) =>
    between(together - 1, together, (paths) => {
      const frames = still(400, (frame) => ({
        inside: Array.from({ length: paths }, (_, i) => run(`path ${i}`, frame === 100 ? 5 * MS : MS)),
      }))
      return evidenceOf(frames).strikes.byChance.length === 0
    }),
  LEAST_TIMES: (least) => between(least - 1, least, (times) => spread(times, 3)),
  LEAST_PATHS: (least) => between(least - 1, least, (paths) => spread(3, paths)),
  // Three strikes, all of x, with sim and the time outside any marker asked as well: 3 × share³.
  BELIEVED: (believed) => {
    const share = (believed / 3) ** (1 / 3)
    const usualNs = (4 * MS * share) / (1 - share)
    return between(1.02, 0.98, (times) =>
      nameOf(struck(at([5 * MS, 9 * MS, 14 * MS]), times * usualNs)).includes('x'),
    )
  },
  // So long are the runs of x that chance explains them all.
  ALIKE: (alike) =>
    between(alike + 0.01, alike - 0.01, (spread) =>
      nameOf(struck(at([10 * MS, 10 * MS, 10 * MS, (10 + 10 * spread) * MS]), 8 * MS)).includes('x'),
    ),
  // Among others that come in between, four of 10 ms, the last a little later.
  EQUAL: (equal) =>
    between(equal + 0.005, equal - 0.005, (late) => {
      const others = { 31: 3 * MS, 77: 5 * MS, 181: 4 * MS, 222: 7 * MS, 290: 6 * MS }
      const last = 1600 + Math.round(200 * late)
      const equalOnes = { 1000: 10 * MS, 1200: 10 * MS, 1400: 10 * MS, [last]: 10 * MS }
      const all: Record<number, number> = { ...others, ...equalOnes }
      return nameOf(still(2000, (frame) => ({ inside: [run('x', 8 * MS + (all[frame] ?? 0))] }))).includes(
        'x',
      )
    }),
  LEAST_ALIKE: (least) =>
    between(least - 1, least, (times) =>
      nameOf(struck(at(Array.from({ length: times }, () => 10 * MS)), 8 * MS)).includes('x'),
    ),
  MOST_OF_ALL: () =>
    between(5, 4, (others) => {
      const frames = struck(at([10, 10, 10, 10].map((ms) => ms * MS)), 8 * MS, (frame) => {
        const other = [12, 66, 181, 260, 310].slice(0, others).indexOf(frame)
        return [run('y', 4 * MS + (other < 0 ? 0 : (3 + 4 * other) * MS))]
      })
      return nameOf(frames).includes('x')
    }),
  // Short runs scatter as much, but never by enough to count as struck.
  OTHERS: (others) => between(others - 1, others, (paths) => !nameOf(scattering(paths, 1)).includes('x')),
  COMPARABLE_RUNS: (times) =>
    between(times + 1, times, (runsEach) => !nameOf(scattering(3, runsEach)).includes('x')),
}

/** Whether the machine is blamed for so many strikes, which come in so many paths in turn. */
function spread(times: number, paths: number): boolean {
  const frames = still(400, (frame) => ({
    inside: ['a', 'b', 'c'].map((name, i) => {
      const strike = IRREGULAR.slice(0, times).indexOf(frame)
      return run(name, 3 * MS + (strike >= 0 && strike % paths === i ? (12 + 5 * strike) * MS : 0))
    }),
  }))
  return evidenceOf(frames).spikes[0]!.machine?.by === 'struck'
}

const scattering = (paths: number, runsEach: number): TestFrame[] =>
  struck(at([5, 6, 9, 5, 14, 7].map((ms) => ms * MS)), 0.5 * MS, (frame) =>
    Array.from({ length: paths }, (_, i) =>
      runs(runsEach, `short ${i}`, (frame + 40 * i) % 57 === 3 ? 200_000 : 10_000),
    ).flat(),
  )

// --- blame

export const machine: Record<string, Edge> = {
  MOST_OF_IT: (most) =>
    between(most - 0.01, most + 0.01, (share) => {
      const frames = struck({ 100: 30 * MS }).map((frame, i) => ({
        ...frame,
        takenNs: i === 100 ? share * 30 * MS : 0,
      }))
      return evidenceOf(frames).spikes[0]!.machine !== null
    }),
  // Six paths take 15 ms; in one frame all of it takes so many times as long.
  SLOWER: (slower) =>
    between(slower - 0.01, slower + 0.01, (factor) => {
      const frames = still(400, (frame) => ({
        inside: Array.from({ length: 6 }, (_, i) =>
          run(`path ${i}`, Math.round((frame === 100 ? factor : 1) * 1.9 * MS)),
        ),
      }))
      return evidenceOf(frames).spikes[0]!.machine?.by === 'slower'
    }),
}
