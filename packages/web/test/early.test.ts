/** The library's takes, asked for before there is a screen. */
import { expect } from 'chai'
import { useLibrary } from '../src/state/library.ts'

describe('the library’s first takes', () => {
  const { fetch } = globalThis
  after(() => {
    globalThis.fetch = fetch
  })

  it('are asked for once, before there is a screen; and again where that failed, or something else is wanted', async () => {
    const asked: string[] = []
    let status = 200
    globalThis.fetch = async (path) => {
      asked.push(String(path))
      return new Response('[]', { status })
    }
    const { loadEarly, setFilter } = useLibrary.getState()
    const questions = async (ask: () => Promise<void>) => {
      const before = asked.length
      await ask()
      return asked.slice(before)
    }
    expect(await questions(() => loadEarly({ tag: 'before' }))).to.deep.equal([
      '/api/takes?tag=before&limit=40',
    ])
    expect(useLibrary.getState()).to.deep.include({ takes: [], isWhole: true })
    // The screen that comes then; and when it comes again.
    expect(await questions(() => setFilter({ tag: 'before' }))).to.deep.equal([])
    expect(await questions(() => setFilter({ tag: 'before' }))).to.have.length(1)

    await loadEarly({ tag: 'before' })
    expect(await questions(() => setFilter({ tag: 'other' }))).to.deep.equal(['/api/takes?tag=other'])
    status = 401
    await loadEarly({})
    status = 200
    expect(await questions(() => setFilter({}))).to.have.length(1)
    expect(useLibrary.getState().error).to.equal(null)
  })
})
