import type { Context } from 'koa'

/** Ends the work when whoever asked has hung up. */
export function untilGone({ res }: Context): AbortSignal {
  const gone = new AbortController()
  res.once('close', () => gone.abort())
  return gone.signal
}
