/** A game as a whole on the screen: its history, its devices, and what was tried. */
import { expect } from 'chai'
import { importWeeks, until } from '../../server/test/support.ts'
import { useScreen } from './support.ts'

describe('a game on the screen', () => {
  const { page, server, errors, open, seen, gone, textOf, button } = useScreen()
  const send = (path: string, body: object) =>
    fetch(server.address + path, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    })
  before(async () => {
    await importWeeks(server)
    await fetch(`${server.address}/api/takes/history-0/budgets`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ device: 'desk', groups: { '': 0.5 } }),
    })
    const items = [{ remedy: 'drop', path: ['sim', 'seek'], state: 'dropped', reason: 'moths need to seek' }]
    await send('/api/takes/history-0/plans', { format: 'lapsus-plan', version: 1, name: 'spring', items })
  })

  it('has a history, reached from the library', async () => {
    await open('/')
    await page.locator('a::-p-text(history)').click()
    await until(async () => (await page.$('[data-testid=history-words]')) !== null, 'it is told')
    expect(await textOf('history-words')).to.match(
      /^18 takes of 6 versions: seek: \d\.\d+ ms a frame more since 1\.2/,
    )
    // The first change is what the picture shows, until another is chosen.
    const chosen = () =>
      page.$eval(
        '[aria-label="Figure or path"]',
        (select) => (select as HTMLSelectElement).selectedOptions[0]!.text,
      )
    expect(await chosen()).to.equal('sim › seek')
    expect(await page.$('canvas[aria-label="sim › seek, take by take"]')).not.to.equal(null)
    await page.select('[aria-label="Figure or path"]', 'figure p95')
    await until(
      async () => (await page.$('canvas[aria-label="work p95, take by take"]')) !== null,
      'p95 is drawn',
    )
    await seen('of a budget of 0.500 ms')
    await page.select('[aria-label="Figure or path"]', 'group ')
    await until(
      async () => (await page.$('canvas[aria-label="group no group, take by take"]')) !== null,
      'the group is drawn',
    )
    await page.select('[aria-label="Conditions"]', 'handset, attic, 60 frames a second')
    await seen('1 take of 1 version: nothing changed for good')
  })

  it('has devices, judged by any target', async () => {
    await open('/game?name=Test+Game&view=devices')
    await seen('desk is the slowest that holds 60 frames a second')
    await page.select('[aria-label="Target"]', '30')
    await seen('handset is the slowest that holds 30 frames a second')
    await page.select('[aria-label="Target"]', '144')
    await seen('No device holds 144 frames a second')
  })

  it('keeps comparisons among what was tried', async () => {
    await open('/compare?before=history-0&after=history-8')
    await seen('the machine was')
    await button('Keep').click()
    await seen('Kept')
    await open('/game?name=Test+Game&view=tried')
    await seen('moths need to seek')
    await seen('Comparisons that were kept')
    await page.type('[aria-label="Search what was tried"]', 'moths need')
    await gone('Comparisons that were kept')
    expect(await textOf('tried')).to.contain('moths need to seek')
    await page.$eval(
      '[aria-label="Search what was tried"]',
      (input) => ((input as HTMLInputElement).value = ''),
    )
    await page.type('[aria-label="Search what was tried"]', ' ')
    await seen('Comparisons that were kept')
    await button('Do not keep').click()
    await gone('Comparisons that were kept')
  })

  it('says when a remedy was dropped before', async () => {
    await open('/takes/history-8?sight=ledger')
    await page.locator('[data-testid=ledger] tbody tr::-p-text(seek)').click()
    await button('Plan').click()
    await page.locator('::-p-xpath(//*[@role="menuitem"][contains(., "drop")])').click()
    await seen('This was dropped before, in spring: moths need to seek.')
  })

  it('has words for a game that is not there', async () => {
    await open('/game?name=Nothing&view=tried')
    await seen('there is no game Nothing')
    // The browser logs the failed request itself.
    errors.length = 0
  })
})
