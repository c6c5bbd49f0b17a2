/** What whoever opens the library waits for. */
import { expect } from 'chai'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'

const DIST = join(import.meta.dirname, '../dist')

/** Script, style and page; typefaces come after the first text is there. */
const MOST_BYTES = 120_000

describe('the first load of the library', () => {
  const page = readFileSync(join(DIST, 'index.html'), 'utf8')
  const files = [...page.matchAll(/(?:src|href)="\/(assets\/[^"]+\.(?:js|css))"/g)].map(([, file]) => file!)

  it('is small: views and plan come when they are opened', () => {
    expect(files.some((file) => file.endsWith('.js'))).to.equal(true)
    expect(files.some((file) => file.endsWith('.css'))).to.equal(true)
    const bytes = ['index.html', ...files].map((file) => gzipSync(readFileSync(join(DIST, file))).length)
    expect(bytes.reduce((sum, one) => sum + one, 0)).to.be.below(MOST_BYTES)
  })

  it('has its words before its typefaces', () => {
    const styles = files
      .filter((file) => file.endsWith('.css'))
      .map((file) => readFileSync(join(DIST, file), 'utf8'))
    const faces = styles.join('').split('@font-face').slice(1)
    expect(faces.length).to.be.greaterThan(2)
    for (const face of faces) expect(face).to.contain('font-display:swap')
  })
})
