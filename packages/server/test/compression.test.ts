import { expect } from 'chai'
import { randomBytes } from 'node:crypto'
import { inflateRawSync } from 'node:zlib'
import { pack, unpack } from '../src/store/compression.ts'

describe('what is packed', () => {
  it('comes back the same, whatever its size and however well it packs, and is plain DEFLATE', async () => {
    const MANY = 3 * 1024 * 1024 + 1
    for (const bytes of [
      Buffer.alloc(0),
      Buffer.of(7),
      randomBytes(1_025),
      randomBytes(MANY),
      // Unpacks to a thousand times as much.
      Buffer.alloc(MANY),
    ]) {
      const packed = await pack(bytes)
      expect(packed.length).to.be.at.most(bytes.length * 1.01 + 16)
      expect(bytes.equals(await unpack(packed)), `${bytes.length} bytes`).to.equal(true)
      expect(bytes.equals(inflateRawSync(packed))).to.equal(true)
    }
  })
})
