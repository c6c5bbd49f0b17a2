import { promisify } from 'node:util'
import { gunzip } from 'node:zlib'
import type { Context } from 'koa'
import getRawBody from 'raw-body'
import { ProblemError } from '../problem-error.ts'

/**
 * The body of a request, unpacked where it is gzip.
 * @param most bytes, also unpacked
 * @throws ProblemError 413, 415, or 400 for what does not unpack
 */
export async function readBody(context: Context, most: number): Promise<Uint8Array> {
  const raw = await getRawBody(context.req, { limit: most })
  const encoding = context.get('content-encoding') || 'identity'
  if (encoding === 'identity') return raw
  if (encoding !== 'gzip') throw new ProblemError(415, 'expected gzip or no encoding', 'Content-Encoding')
  try {
    return await promisify(gunzip)(raw, { maxOutputLength: most })
  } catch (error) {
    throw new ProblemError(
      400,
      `the body is not good gzip of at most ${most} bytes: ${(error as Error).message}`,
    )
  }
}
