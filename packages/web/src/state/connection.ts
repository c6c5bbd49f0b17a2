import { create } from 'zustand'

interface Connection {
  /** What keeps the server from answering, in words; null while all is well. */
  trouble: string | null
  /** Resolves when it can be asked again; null while it can. */
  recovery: Promise<void> | null
}

/** Whether the server, and the database behind it, can be asked. */
export const useConnection = create<Connection>()(() => ({ trouble: null, recovery: null }))

const ASK_EVERY_MS = 1_000

/**
 * Resolves once the server answers again, whoever waits for it.
 * @param trouble told meanwhile
 */
export function untilBack(trouble: string): Promise<void> {
  const recovery =
    useConnection.getState().recovery ??
    recover().finally(() => useConnection.setState({ trouble: null, recovery: null }))
  useConnection.setState({ trouble, recovery })
  return recovery
}

async function recover(): Promise<void> {
  for (;;) {
    await new Promise((resolve) => setTimeout(resolve, ASK_EVERY_MS))
    const response = await fetch('/health').catch(() => null)
    const health = (await response?.json().catch(() => null)) as { status?: string; reason?: string } | null
    // A full disk keeps takes from being recorded, not from being read.
    if (health?.status === 'ok' || health?.status === 'degraded') return
    if (typeof health?.reason === 'string') useConnection.setState({ trouble: health.reason })
  }
}
