/** Loads that differ between the sides: what a frame costs by one of each, and how much of the difference the load itself explains. */
import { costAt, fitFrames, loadSources, type Law } from '../detect/index.ts'
import { mean, median } from '../stats/index.ts'
import { frameCount, type Study } from '../study/index.ts'
import { ALIKE } from './likeness.ts'

export interface LoadRow {
  name: string
  /** Middle over the frames. */
  before: number
  after: number
  /** Work of a frame by one of the load, ms; after at equal speed of the machine. */
  msPerBefore: number
  msPerAfter: number
  /** That the work followed before; null where it hardly followed the load. */
  law: Law | null
  /** What by that law the other load costs more, ms a frame; null without a law. */
  explainedMs: number | null
}

/** Share of the variance that a law must explain to be told. */
const EXPLAINS = 0.3

const NS_PER_MS = 1e6

/** @param slower how many times as long unchanged work takes after */
export function perLoadRows(before: readonly Study[], after: readonly Study[], slower: number): LoadRow[] {
  const names = loadSources(before[0]!).flatMap(({ name, relative }) => (relative ? [] : [name]))
  return [...new Set(names)].flatMap((name): LoadRow[] => {
    const [one, other] = [sideOf(before, name), sideOf(after, name)]
    if (one === null || other === null) return []
    const [was, is] = [median(one.load), median(other.load)]
    if (Math.max(was, is) < 1 || Math.abs(is - was) <= ALIKE * Math.max(was, is)) return []
    const { best, explained } = fitFrames(one.load, one.workNs, new Uint8Array(one.load.length).fill(1))
    const hasLaw = best !== null && best.law !== '1' && explained >= EXPLAINS
    const costOf = (loads: Float64Array) => mean(loads.map((load) => costAt(best!, load))) / NS_PER_MS
    return [
      {
        ...{ name, before: was, after: is },
        msPerBefore: mean(one.workNs) / NS_PER_MS / mean(one.load),
        msPerAfter: mean(other.workNs) / NS_PER_MS / slower / mean(other.load),
        law: hasLaw ? best.law : null,
        explainedMs: hasLaw ? costOf(other.load) - costOf(one.load) : null,
      },
    ]
  })
}

/** Load and work of all frames in which the load is known; null where a take does not tell of it. */
function sideOf(
  studies: readonly Study[],
  name: string,
): { load: Float64Array; workNs: Float64Array } | null {
  const load: number[] = []
  const workNs: number[] = []
  for (const study of studies) {
    const source = loadSources(study).find((one) => one.name === name && !one.relative)
    if (source === undefined) return null
    for (let frame = 0; frame < frameCount(study); frame++) {
      if (!Number.isFinite(source.values[frame]!)) continue
      load.push(source.values[frame]!)
      workNs.push(study.frames.workNs[frame]!)
    }
  }
  return load.length === 0 ? null : { load: Float64Array.from(load), workNs: Float64Array.from(workNs) }
}
