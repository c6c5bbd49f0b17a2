/** How many bytes of bodies are held at once: what comes beyond it is to be sent again, and is never refused for good. */
import type { Context, Next } from 'koa'
import { ProblemError } from '../problem-error.ts'

/** Of all requests together. One of them may have 33 MB. */
const MOST_HELD_BYTES = 256 * 1024 * 1024
const AGAIN_S = 2
/** Taken for a body that does not say how large it is. */
const UNSAID_BYTES = 8 * 1024 * 1024
/** What is packed becomes larger by so much, mostly. */
const PACKED_BY = 4

export class Bodies {
  #heldBytes = 0
  readonly #most: number

  constructor(most = MOST_HELD_BYTES) {
    this.#most = most
  }

  get heldBytes(): number {
    return this.#heldBytes
  }

  /** Holds the room for a body until it is dealt with. @throws ProblemError 503 where there is none */
  readonly within = async (context: Context, next: Next): Promise<void> => {
    const said = context.request.length ?? UNSAID_BYTES
    const bytes = context.get('content-encoding') === 'gzip' ? said * PACKED_BY : said
    if (this.#heldBytes > 0 && this.#heldBytes + bytes > this.#most)
      throw new ProblemError(503, 'too much is being received at once; send it again', undefined, AGAIN_S)
    this.#heldBytes += bytes
    try {
      await next()
    } finally {
      this.#heldBytes -= bytes
    }
  }
}
