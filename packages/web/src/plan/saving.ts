/** Writes a plan a while after it was changed, one writing after the other. */
import type { Plan } from '@lapsus/core/remedy'

const SAVE_AFTER_MS = 500

export interface Saving {
  /** Writes what `latest` gives, soon. */
  soon(): void
  /** Writes at once what has not been written yet. Resolves when everything is. */
  flush(): Promise<void>
}

/**
 * @param latest what is to be written; null for nothing
 * @param write tells of its failures itself
 */
export function savingOf(
  latest: () => { id: string; plan: Plan } | null,
  write: (id: string, plan: Plan) => Promise<void>,
): Saving {
  let timer: ReturnType<typeof setTimeout> | undefined
  let writes = Promise.resolve()
  function flush(): Promise<void> {
    const due = timer === undefined ? null : latest()
    if (due !== null) writes = writes.then(() => write(due.id, due.plan))
    clearTimeout(timer)
    timer = undefined
    return writes
  }
  return {
    flush,
    soon() {
      clearTimeout(timer)
      timer = setTimeout(() => void flush(), SAVE_AFTER_MS)
    },
  }
}
