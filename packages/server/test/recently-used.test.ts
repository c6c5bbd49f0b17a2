import { expect } from 'chai'
import { RecentlyUsed } from '../src/store/recently-used.ts'

describe('what was asked for lately', () => {
  it('is kept, the least lately used going first', async () => {
    const made: string[] = []
    const kept = new RecentlyUsed<Promise<string>>(2)
    const get = (key: string) =>
      kept.get(key, () => {
        made.push(key)
        return Promise.resolve(key.toUpperCase())
      })
    expect(await get('a')).to.equal('A')
    await get('b')
    await get('a')
    await get('c')
    await get('a')
    expect(made).to.deep.equal(['a', 'b', 'c'])
    await get('b')
    expect(made).to.deep.equal(['a', 'b', 'c', 'b'])
  })

  it('is worked out once for all who ask at the same time', async () => {
    let made = 0
    const kept = new RecentlyUsed<Promise<number>>(2)
    const make = () => Promise.resolve(++made)
    expect(await Promise.all([kept.get('x', make), kept.get('x', make)])).to.deep.equal([1, 1])
  })

  it('is tried again after it failed', async () => {
    const kept = new RecentlyUsed<Promise<number>>(2)
    await kept.get('x', () => Promise.reject(new Error('no database'))).catch(() => {})
    expect(await kept.get('x', () => Promise.resolve(7))).to.equal(7)
  })
})
