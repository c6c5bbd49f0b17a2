import { expect } from 'chai'
import { ESLint } from 'eslint'
import { execFile } from 'node:child_process'
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { FINDING_KINDS } from '@lapsus/core/detect'
import { QUESTION_LIST } from '@lapsus/core/questions/all'
import { PIECES } from '../scripts/docs/pages.ts'
import { pictureNow } from '../scripts/docs/picture.ts'
import { pageNow } from '../scripts/docs/write.ts'

const ROOT = join(import.meta.dirname, '..')

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

describe('order inside packages', () => {
  /** What is said of a file with these lines. @param at below packages/ */
  async function complaintsAbout(at: string, lines: string): Promise<string> {
    const file = join(ROOT, 'packages', at)
    writeFileSync(file, lines)
    try {
      const depcruise = join(ROOT, 'node_modules/.bin/depcruise')
      const args = [file, '--config', '.dependency-cruiser.cjs', '--output-type', 'err']
      await promisify(execFile)(depcruise, args, { cwd: ROOT })
      return ''
    } catch (error) {
      return (error as { stdout: string }).stdout
    } finally {
      rmSync(file)
    }
  }

  it('is broken by an import of a folder above', async () => {
    const lines = "import { REMEDIES } from '../remedy/index.ts'\nexport const kinds = REMEDIES\n"
    expect(await complaintsAbout('core/src/detect/planted.ts', lines)).to.match(/error core: .*detect/)
  })

  it('is kept by an import of a folder below', async () => {
    const lines = "import { median } from '../stats/index.ts'\nexport const middle = median\n"
    expect(await complaintsAbout('core/src/detect/planted.ts', lines)).to.equal('')
  })
})

describe('what stands one in a file', () => {
  const LISTED: [folder: string, list: string][] = [
    ['core/src/detect/kinds', 'core/src/lists/findings.ts'],
    ['core/src/remedy/kinds', 'core/src/lists/remedies.ts'],
    ['server/src/serve/edge', 'server/src/lists/edges.ts'],
  ]
  for (const [folder, list] of LISTED) {
    it(`${folder}: each file is in the list, and nowhere else by name`, () => {
      const files = readdirSync(join(ROOT, 'packages', folder))
      const lines = readFileSync(join(ROOT, 'packages', list), 'utf8')
      expect(files.length).to.be.greaterThan(3)
      for (const file of files) expect(lines, file).to.contain(`${folder.split('/').at(-1)}/${file}`)
    })
  }
})

describe('a kind of finding', () => {
  const sources = readdirSync(join(ROOT, 'packages'), { withFileTypes: true })
    .map(({ name }) => join('packages', name, 'src'))
    .flatMap((folder) =>
      readdirSync(join(ROOT, folder), { recursive: true, encoding: 'utf8' }).map((name) =>
        join(folder, name),
      ),
    )
    .filter((file) => /\.tsx?$/.test(file) && !file.includes('/lists/'))
    .map((file) => ({ file, text: readFileSync(join(ROOT, file), 'utf8') }))

  it('is named in its own file alone', () => {
    const elsewhere = FINDING_KINDS.flatMap((kind) =>
      sources
        .filter(({ file, text }) => text.includes(`'${kind}'`) && !file.endsWith(`/detect/kinds/${kind}.ts`))
        .map(({ file }) => `${kind} in ${file}`),
    )
    expect(elsewhere).to.deep.equal([])
    expect(sources.length).to.be.greaterThan(300)
  })
})

describe('a question', () => {
  it('is mounted at the edge by one file of its name', () => {
    const edges = readdirSync(join(ROOT, 'packages/server/src/serve/edge'))
    expect(edges.sort()).to.deep.equal(QUESTION_LIST.map(({ name }) => `${name}.ts`).sort())
  })
})

describe('docs made from the code', () => {
  for (const page of Object.keys(PIECES)) {
    it(`${page} is as \`npm run docs\` would write it`, async () => {
      const { before, now } = await pageNow(page)
      expect(before).to.equal(now)
    })
  }

  it('the picture of the folders is as they are', () => {
    expect(readFileSync(join(ROOT, 'docs/architecture.svg'), 'utf8')).to.equal(pictureNow())
  })
})
