import { randomBytes } from 'node:crypto'
import { gzipSync } from 'node:zlib'
import { jsonLine } from '@lapsus/core/exchange'
import { takeRecord } from '../../core/test/support/takes.ts'

/** Unpacks to some 200 times its size, which is lines that are no records: long work. */
export function longFile(bytes: number): Buffer {
  const head = gzipSync(jsonLine(takeRecord({ take: `a-long-file-${randomBytes(4).toString('hex')}` })))
  const filling = 'no record at all '.repeat(400)
  const lines = Array.from({ length: 150 }, () => `{"${randomBytes(12).toString('hex')}":"${filling}"}\n`)
  const member = gzipSync(lines.join(''))
  return Buffer.concat([head, ...Array.from({ length: Math.ceil(bytes / member.length) }, () => member)])
}
