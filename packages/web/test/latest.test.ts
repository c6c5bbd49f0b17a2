/** Asking in one way: the latest counts, and what was asked lately is there. */
import { expect } from 'chai'
import { Latest, Remembered } from '../src/api/latest.ts'

describe('the latest question', () => {
  it('breaks off the one before, whose answer is dropped', async () => {
    const latest = new Latest()
    let broken = false
    const first = latest.ask(
      (signal) =>
        new Promise((resolve) => {
          signal.addEventListener('abort', () => {
            broken = true
            resolve('old')
          })
        }),
    )
    expect(await latest.ask(async () => 'new')).to.equal('new')
    expect(await first).to.equal(null)
    expect(broken).to.equal(true)
  })

  it('fails as what it fetches does, but not where that was broken off', async () => {
    const latest = new Latest()
    const failing = (signal: AbortSignal) =>
      new Promise<string>((_, reject) =>
        signal.addEventListener('abort', () => reject(new Error('broken off'))),
      )
    const first = latest.ask(failing)
    const second = latest.ask(async () => {
      throw new Error('no such take')
    })
    expect(await first).to.equal(null)
    const error = await second.catch((reason: Error) => reason)
    expect(error).to.be.an('error').with.property('message', 'no such take')
  })
})

describe('remembered answers', () => {
  it('are fetched once while they are among the latest', async () => {
    const fetched: string[] = []
    const remembered = new Remembered<string>(2)
    const get = (key: string) =>
      remembered.get(key, async () => {
        fetched.push(key)
        return key.toUpperCase()
      })
    for (const key of ['a', 'b', 'a', 'c', 'a', 'b']) expect(await get(key)).to.equal(key.toUpperCase())
    expect(fetched).to.deep.equal(['a', 'b', 'c', 'b'])
  })

  it('are fetched again where they failed', async () => {
    const remembered = new Remembered<number>(2)
    const failed = await remembered.get('a', () => Promise.reject(new Error('no'))).catch(() => 'failed')
    expect(failed).to.equal('failed')
    expect(await remembered.get('a', async () => 7)).to.equal(7)
  })
})
