import type { TakeSummary } from '@lapsus/api'

/**
 * The newest take that was not there before. One that comes behind those that were is older: others were deleted.
 * @param takes newest first
 */
export function begunSince<T extends Pick<TakeSummary, 'id' | 'state'>>(
  before: ReadonlySet<string>,
  takes: readonly T[],
): T | undefined {
  const firstKnown = takes.findIndex(({ id }) => before.has(id))
  return takes.find(
    ({ id, state }, i) => !before.has(id) && (state === 'recording' || firstKnown < 0 || i < firstKnown),
  )
}
