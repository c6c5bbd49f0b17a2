/** Bytes handed from thread to thread over a port, piece by piece, no faster than they are taken. */
import { on } from 'node:events'
import type { MessagePort } from 'node:worker_threads'

/** Pieces that may be under way. */
const AHEAD = 4
/**
 * The same of a request's body, which comes in pieces of 64 kB: a reader that is busy with what it has for a tenth of a
 * second is to find the next there, 16 MB at most.
 */
export const BODY_AHEAD = 256

/** What the sending side says; the receiving side says nothing but MORE. */
type Said = { piece: Uint8Array } | { end: true } | { failed: { words: string; code: unknown } }
const MORE = 'more'

/** Sends all there is, and then that it ends, or failed. Stops when nobody takes it any more. */
export async function sendPieces(
  port: MessagePort,
  pieces: AsyncIterable<Uint8Array | string>,
): Promise<void> {
  const source = pieces[Symbol.asyncIterator]()
  const say = (said: Said, moved: ArrayBuffer[] = []) => port.postMessage(said, moved)
  try {
    for await (const [word] of on(port, 'message', { close: ['close'] })) {
      if (word !== MORE) continue
      const next = await source.next()
      if (next.done === true) {
        say({ end: true })
        return
      }
      const piece = movable(next.value)
      say({ piece }, [piece.buffer])
    }
  } catch (error) {
    say({ failed: { words: (error as Error).message, code: (error as { code?: unknown }).code } })
  } finally {
    await source.return?.()
  }
}

/**
 * What is sent on the other side.
 * @param ahead pieces that may be under way
 * @throws what failed there, with its message and code
 */
export async function* piecesFrom(port: MessagePort, ahead = AHEAD): AsyncGenerator<Buffer> {
  try {
    for (let i = 0; i < ahead; i++) port.postMessage(MORE)
    for await (const [said] of on(port, 'message', { close: ['close'] }) as AsyncIterable<[Said]>) {
      if ('end' in said) return
      if ('failed' in said) throw Object.assign(new Error(said.failed.words), { code: said.failed.code })
      port.postMessage(MORE)
      yield Buffer.from(said.piece.buffer, said.piece.byteOffset, said.piece.byteLength)
    }
    throw Object.assign(new Error('the other thread ended'), { code: 'ECONNABORTED' })
  } finally {
    port.close()
  }
}

/** Memory of its own, that can be handed over: a slice of a larger piece, or of what Node keeps for many, is copied. */
export function movable(bytes: Uint8Array | string): Uint8Array<ArrayBuffer> {
  if (typeof bytes === 'string') return new TextEncoder().encode(bytes)
  const isAlone = bytes.buffer instanceof ArrayBuffer && bytes.byteLength === bytes.buffer.byteLength
  return isAlone ? (bytes as Uint8Array<ArrayBuffer>) : new Uint8Array(bytes)
}
