import { bytes, plural } from '@lapsus/core/words'
import type { StorageReport } from './types.ts'

/** What the takes use, and which leave by themselves, in sentences; none where there is no take. */
export function storageWords({
  takes,
  bytes: used,
  keptTakes,
  keepDays,
  keepBytes,
}: StorageReport): string[] {
  if (takes === 0) return []
  const rules = [
    keepDays === null ? [] : [`older than ${plural(keepDays, 'day')}`],
    keepBytes === null ? [] : [`beyond ${bytes(keepBytes)} in all (the oldest first)`],
  ].flat()
  return [
    `${plural(takes, 'take')}, stored in ${bytes(used)}.`,
    ...(rules.length === 0
      ? []
      : [
          `Takes ${rules.join(' or ')} leave by themselves; ${plural(keptTakes, 'take')} with a tag or a plan never.`,
        ]),
  ]
}
