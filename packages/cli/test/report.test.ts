/** `lapsus report`, on files, and of a game's history. */
import { expect } from 'chai'
import { existsSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { nightRecords } from '../../core/test/support/night.ts'
import { bytesOf } from '../../core/test/support/takes.ts'
import { importWeeks, testServer } from '../../server/test/support.ts'
import { lapsus, testFolder } from './support.ts'

const { folder, file } = testFolder()

describe('lapsus report', () => {
  const night = (name: string) => file(`${name}.lapsus`, bytesOf(nightRecords(name)))
  const written = async (args: string[], out: string, env: Record<string, string> = {}) => {
    const path = join(folder, out)
    const { code, err } = await lapsus(['report', ...args, '--out', path], env)
    expect([code, err]).to.deep.equal([0, ''])
    expect(statSync(path).size).to.be.below(2_000_000)
    return readFileSync(path, 'utf8')
  }

  it('writes a take as one page, and as Markdown', async () => {
    const html = await written([night('reported-night')], 'take.html')
    expect(html).to.contain('<h1>Test Game: reported-night</h1>')
    // Its worst frames are drawn.
    expect(html).to.match(/Frame \d+: \d+(\.\d+)? ms of work/)
    expect(html).to.match(/<text[^>]*>sea…<\/text>|<text[^>]*>search<\/text>|<text[^>]*>crowd<\/text>/)
    expect(await written([night('reported-night')], 'take.md')).to.contain('## Where the time goes')
  })

  it('writes a comparison, and a plan with its proof', async () => {
    const [one, other] = [night('reported-one'), night('reported-other')]
    expect(await written([one, '--with', other], 'comparison.md')).to.contain('# Comparison: Test Game')
    const plan = {
      format: 'lapsus-plan',
      version: 1,
      name: 'spring',
      items: [{ remedy: 'drop', path: ['sim', 'text'] }],
    }
    const path = file('spring.json', Buffer.from(JSON.stringify(plan)))
    expect(await written([one, '--plan', path], 'plan.md')).to.match(
      /# Plan: spring[\s\S]*\| 1\. drop: sim › text \| 0\.5/,
    )
    expect(await written([one, '--plan', path, '--with', other], 'proof.md')).to.contain('## Proof')
  })

  it('writes the history of a game', async () => {
    const server = await testServer()
    await importWeeks(server)
    const html = await written(['--game', 'Test Game'], 'history.html', { LAPSUS_URL: server.address })
    expect(html).to.contain('a frame more since 1.2')
    await server.stop()
  })

  it('ends with 2 for what cannot be reported', async () => {
    const one = night('reported-one')
    const cases: [string[], string][] = [
      [[one, '--out', join(folder, 'x.pdf')], 'expected a name that ends with .html or .md'],
      [['--out', join(folder, 'x.md')], 'expected a take to report, or --game GAME'],
      [[one, one, '--out', join(folder, 'x.md')], 'a report is about one take'],
      [[join(folder, 'gone.lapsus'), '--out', join(folder, 'x.md')], 'there is no such file'],
      [[one, '--out', join(folder, 'no-folder', 'x.md')], 'no such file or directory'],
    ]
    for (const [args, words] of cases) {
      const { code, err } = await lapsus(['report', ...args])
      expect(code).to.equal(2)
      expect(err).to.contain(words)
    }
    expect(existsSync(join(folder, 'x.md'))).to.equal(false)
  })
})
