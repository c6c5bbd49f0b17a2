import { expect } from 'chai'
import { ESLint } from 'eslint'

/** What lint says about one import in a file of a package. */
async function complaints(file: string, from: string): Promise<string[]> {
  const [result] = await new ESLint().lintText(`import { x } from '${from}'\nexport const y = x\n`, {
    filePath: file,
  })
  return result!.messages
    .filter(({ ruleId }) => ruleId === 'no-restricted-imports')
    .map(({ message }) => message)
}

describe('import directions', () => {
  it('run one way only', async () => {
    const forbidden: [string, string][] = [
      ['packages/core/src/x.ts', '@lapsus/api'],
      ['packages/core/src/x.ts', 'node:fs'],
      ['packages/probe/src/x.ts', '@lapsus/core/take'],
      ['packages/server/src/x.ts', '@lapsus/web'],
      ['packages/web/src/x.ts', '@lapsus/server'],
      ['packages/cli/src/x.ts', '@lapsus/server'],
      ['games/moth-post/src/x.ts', '@lapsus/core/format'],
      ['packages/web/src/x.ts', '../../../packages/server/src/index.ts'],
    ]
    for (const [file, from] of forbidden)
      expect(await complaints(file, from), `${file} <- ${from}`).to.have.length(1)
    const allowed: [string, string][] = [
      ['packages/probe/src/x.ts', '@lapsus/core/format'],
      ['packages/server/src/x.ts', '@lapsus/core/rollup'],
      ['packages/web/src/x.ts', '@lapsus/api'],
      ['games/moth-post/src/x.ts', '@lapsus/probe'],
    ]
    for (const [file, from] of allowed)
      expect(await complaints(file, from), `${file} <- ${from}`).to.have.length(0)
  })
})
