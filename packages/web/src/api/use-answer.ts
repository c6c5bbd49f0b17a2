import { useEffect, useRef, useState } from 'react'
import { Latest } from './latest.ts'

/** Time that a question must rest before the server is asked: a drag changes it with every move. */
const REST_MS = 60

export interface Answered<T> {
  /** The last one, while the next is fetched. */
  answer: T | null
  error: string | null
  /** It is not the answer to the present question. */
  stale: boolean
}

/**
 * Asks again whenever the question changes, and drops the answer to an older one.
 * @param key tells questions apart
 */
export function useAnswer<T>(key: string, ask: (signal: AbortSignal) => Promise<T>): Answered<T> {
  const [state, setState] = useState<{ key: string; answer: T | null; error: string | null }>({
    key: '',
    answer: null,
    error: null,
  })
  const current = useRef(ask)
  current.current = ask
  useEffect(() => {
    const latest = new Latest()
    const timer = setTimeout(() => {
      latest.ask(current.current).then(
        (answer) => answer !== null && setState({ key, answer, error: null }),
        (failure: Error) => setState((before) => ({ ...before, error: failure.message })),
      )
    }, REST_MS)
    return () => {
      clearTimeout(timer)
      latest.cancel()
    }
  }, [key])
  return { answer: state.answer, error: state.error, stale: state.key !== key }
}
