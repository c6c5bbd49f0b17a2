/** What was on the screen: with the strip, and before and after a frame. */
import { expect } from 'chai'
import { endRecord, type AnyRecord } from '@lapsus/core/format'
import { png } from '../../core/test/support/pictures.ts'
import { bytesOf, chunkRecord, declareRecord, node, takeRecord } from '../../core/test/support/takes.ts'
import { apartWords, nearestPicture, picturesAround } from '../src/state/pictures.ts'
import { until } from '../../server/test/support.ts'
import { useScreen } from './support.ts'

const MS = 1e6
const pictures = [10, 20, 40].map((ms, i) => ({ name: `0-${i}`, atNs: ms * MS, width: 16, height: 9 }))

describe('pictures around a time', () => {
  const names = (ms: number) => {
    const { before, after } = picturesAround(pictures, ms * MS)
    return [before?.name ?? null, after?.name ?? null, nearestPicture(pictures, ms * MS)!.name]
  }

  it('are the last up to it, the first after it, and the nearest', () => {
    expect(names(5)).to.deep.equal([null, '0-0', '0-0'])
    expect(names(10)).to.deep.equal(['0-0', '0-1', '0-0'])
    expect(names(15)).to.deep.equal(['0-0', '0-1', '0-0'])
    expect(names(15.1)).to.deep.equal(['0-0', '0-1', '0-1'])
    expect(names(39)).to.deep.equal(['0-1', '0-2', '0-2'])
    expect(names(99)).to.deep.equal(['0-2', null, '0-2'])
    expect(nearestPicture([], 5)).to.equal(null)
  })

  it('are so far from it in words', () => {
    expect([10, 260, 8, 14].map((ms) => apartWords(pictures[0]!, ms * MS))).to.deep.equal([
      ...['just then', '0.25 s before', 'just then', 'just then'],
    ])
    expect(apartWords(pictures[2]!, 0)).to.equal('0.04 s after')
  })
})

describe('stills, on the screen', () => {
  const { page, server, open, middleOf } = useScreen()
  before(async () => {
    for (const [take, stills] of [
      ['still-take-1', [0.5, 2.5].map((s) => ({ atNs: s * 1e9, bytes: png(320, 180) }))],
      ['no-still-take-1', []],
    ] as const) {
      const frames = Array.from({ length: 300 }, () => ({ lanes: [[node(0, 10 * MS)]], restNs: 0 }))
      const records: AnyRecord[] = [
        takeRecord({ take, game: take }),
        declareRecord(1, [{ name: 'sim' }]),
        { ...chunkRecord(2, frames), pictures: [...stills] },
        endRecord(3),
      ]
      const body = bytesOf(records) as BodyInit
      expect((await fetch(`${server.address}/api/imports`, { method: 'POST', body })).status).to.equal(201)
    }
  })

  const shown = (within: string) =>
    page.$$eval(`${within} [data-testid=still]`, (found) =>
      found.map((one) => [
        one.querySelector('img')!.getAttribute('alt'),
        one.querySelector('img')!.getAttribute('src'),
      ]),
    )

  it('stand below a frame’s page: the one before and the one after', async () => {
    await open('/takes/still-take-1?sight=frame&frame=99')
    await page.waitForSelector('[data-testid=frame-stills]')
    expect(await shown('[data-testid=frame-stills]')).to.deep.equal([
      ['The screen, 0.50 s before', '/api/takes/still-take-1/pictures/0-0'],
      ['The screen, 1.50 s after', '/api/takes/still-take-1/pictures/0-1'],
    ])
  })

  it('show up over the strip, the nearest to where the pointer is', async () => {
    const { x, y, width, height } = await middleOf('strip')
    await page.mouse.move(x + width * 0.9, y + height / 2)
    await until(
      async () => (await shown('[data-testid=strip]'))[0]?.[1]?.endsWith('0-1') === true,
      'the later one',
    )
    await page.mouse.move(x + width * 0.1, y + height / 2)
    await until(
      async () => (await shown('[data-testid=strip]'))[0]?.[1]?.endsWith('0-0') === true,
      'the earlier one',
    )
  })

  it('are nowhere where the game sent none', async () => {
    await open('/takes/no-still-take-1?sight=frame&frame=99')
    await page.waitForSelector('[data-testid=samples]')
    const { x, y, width, height } = await middleOf('strip')
    await page.mouse.move(x + width / 2, y + height / 2)
    await page.waitForFunction(() => document.body.innerText.includes('frame 1'))
    expect(await page.$('[data-testid=still]')).to.equal(null)
  })
})
