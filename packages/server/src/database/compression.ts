import { promisify } from 'node:util'
import { constants, deflateRaw, inflateRaw } from 'node:zlib'

const deflate = promisify(deflateRaw)
const inflate = promisify(inflateRaw)

/** Level 2 stores 4 % more than 6 on the demo game and takes a third of the time. */
export const pack = (bytes: Uint8Array): Promise<Buffer> =>
  deflate(bytes, { level: 2, memLevel: 9, strategy: constants.Z_DEFAULT_STRATEGY })

export const unpack = (bytes: Uint8Array): Promise<Buffer> => inflate(bytes)
