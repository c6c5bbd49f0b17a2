/**
 * Like setInterval, but never begins `work` while it is still at it: a hung database must not pile it up. What fails is
 * told by what watches over the database.
 */
export function atIntervals(everyMs: number, work: () => Promise<void>): ReturnType<typeof setInterval> {
  let isBusy = false
  return setInterval(() => {
    if (isBusy) return
    isBusy = true
    void work()
      .catch(() => {})
      .finally(() => (isBusy = false))
  }, everyMs)
}
