import { useEffect, useRef, useState } from 'react'

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
  const latest = useRef(ask)
  latest.current = ask
  useEffect(() => {
    const abort = new AbortController()
    const timer = setTimeout(() => {
      latest.current(abort.signal).then(
        (answer) => setState({ key, answer, error: null }),
        (failure: Error) => {
          if (failure.name !== 'AbortError') setState((before) => ({ ...before, error: failure.message }))
        },
      )
    }, REST_MS)
    return () => {
      clearTimeout(timer)
      abort.abort()
    }
  }, [key])
  return { answer: state.answer, error: state.error, stale: state.key !== key }
}
