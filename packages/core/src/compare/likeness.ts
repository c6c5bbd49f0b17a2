/** Whether two takes are of the same load on the same machine, so that they may be compared. */
import type { Conditions } from '../format/index.ts'
import { loadSources } from '../detect/index.ts'
import { median } from '../stats/index.ts'
import { frameCount, recordedSeconds, type Study } from '../study/index.ts'
import { percent, plural, three } from '../words/index.ts'

/** Loads that differ by more than this share are not alike. */
export const ALIKE = 0.15
/** Fewer frames than this tell little. */
const FEW = 120

const CONDITIONS: { field: keyof Conditions; words: string }[] = [
  { field: 'build', words: 'build' },
  { field: 'device', words: 'device' },
  { field: 'scene', words: 'scene' },
  { field: 'seed', words: 'seed' },
  { field: 'load', words: 'load' },
  { field: 'mode', words: 'recorder mode' },
]

/**
 * What is not alike, in words; empty where everything is.
 * @param mended names of what a fix may itself have changed, and gauges that it may have removed; null without a fix
 */
export function differencesOf(
  before: Study,
  after: Study,
  mended: readonly string[] | null = null,
): string[] {
  const differences = CONDITIONS.flatMap(({ field, words }) => {
    const [one, other] = [before.conditions[field], after.conditions[field]]
    return one === other ? [] : [`${words}: ${told(one)} before, ${told(other)} after`]
  })
  if (before.target !== after.target)
    differences.push(`target: ${three(before.target)} frames a second before, ${three(after.target)} after`)
  differences.push(...loadDifferences(before, after, mended))
  for (const [study, when] of [
    [before, 'before'],
    [after, 'after'],
  ] as const) {
    if (frameCount(study) < FEW)
      differences.push(`only ${plural(frameCount(study), 'frame')} ${when}: figures of so few say little`)
  }
  const [one, other] = [recordedSeconds(before), recordedSeconds(after)]
  if (one > 0 && other > 0 && Math.max(one, other) > 2 * Math.min(one, other))
    differences.push(
      `${three(one)} s before, ${three(other)} s after: what is rare shows in the longer one only`,
    )
  return differences
}

const told = (value: unknown): string =>
  value === undefined || value === '' ? 'not told' : typeof value === 'string' ? `“${value}”` : String(value)

/** Gauges that count things, by name: their middle over the frames. Instances are what a fix may change. */
function loadDifferences(before: Study, after: Study, mended: readonly string[] | null): string[] {
  const gaugesOf = (study: Study) => loadSources(study).filter(({ gauge }) => gauge !== null)
  const others = new Map(gaugesOf(after).map(({ name, values }) => [name, values]))
  return gaugesOf(before).flatMap(({ name, values }) => {
    const there = others.get(name)
    if (mended !== null && (there === undefined || mended.includes(name))) return []
    if (there === undefined) return [`“${name}” is not told after`]
    const [one, other] = [middle(values), middle(there)]
    if (one === null || other === null) return []
    const most = Math.max(Math.abs(one), Math.abs(other))
    if (most < 1 || Math.abs(one - other) <= ALIKE * most) return []
    return [
      `“${name}”: ${three(one)} before, ${three(other)} after (${percent(Math.abs(one - other) / most)} apart)`,
    ]
  })
}

function middle(values: Float64Array): number | null {
  const known = values.filter((value) => Number.isFinite(value))
  return known.length === 0 ? null : median(known)
}
