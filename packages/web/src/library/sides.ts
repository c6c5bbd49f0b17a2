/** Which of some takes are before, and which after. */
import type { TakeSummary } from '@lapsus/api'

export type Side = 'before' | 'after'

/** By build where there are several: those of the oldest take's are before. Else the oldest alone. */
export function likelySides(takes: readonly TakeSummary[]): Map<string, Side> {
  const oldest = takes.toSorted((a, b) => a.started.localeCompare(b.started))[0]
  const buildOf = ({ conditions }: TakeSummary) => `${conditions.version ?? ''} ${conditions.build ?? ''}`
  const builds = new Set(takes.map(buildOf))
  const isBefore = (take: TakeSummary) =>
    oldest !== undefined && (builds.size > 1 ? buildOf(take) === buildOf(oldest) : take === oldest)
  return new Map(takes.map((take) => [take.id, isBefore(take) ? 'before' : 'after']))
}

export function compareAddress(
  takes: readonly TakeSummary[],
  sides: ReadonlyMap<string, Side> = likelySides(takes),
): string {
  const of = (side: Side) =>
    takes
      .filter(({ id }) => sides.get(id) === side)
      .map(({ id }) => id)
      .join(',')
  return `/compare?${new URLSearchParams({ before: of('before'), after: of('after') })}`
}
