import { failureKind } from './failure.ts'

/** Tries of what is in another's way. */
const MOST_TRIES = 8
const PAUSE_MS = 15

/** Does it again, a little later each time, while what it does conflicts with what others do. */
export async function triedAgain<T>(work: () => Promise<T>): Promise<T> {
  for (let tries = 1; ; tries++) {
    try {
      return await work()
    } catch (error) {
      if (tries >= MOST_TRIES || failureKind(error) !== 'conflict') throw error
      await new Promise((resolve) => setTimeout(resolve, PAUSE_MS * tries * (0.5 + Math.random())))
    }
  }
}
