/** How soon a library of five thousand takes is there. */
import type { Browser } from 'puppeteer-core'
import { open } from '../packages/server/src/store/connection.ts'
import { summary, type Summary } from './statistics.ts'

export const LIBRARY_TAKES = 5_000
const ROUNDS = 5

/** @param take one that is copied, but for its identity */
export async function measureLibrary(browser: Browser, address: string, take: string): Promise<Summary> {
  const database = open(process.env['DATABASE_URL']!)
  const [columns] = (await database.query(
    `SELECT COLUMN_NAME AS name FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = 'takes'`,
  )) as [{ name: string }[], unknown]
  const names = columns.map(({ name }) => `\`${name}\``)
  const values = names.map((name) => (name === '`id`' ? `CONCAT('copy-', seq)` : name))
  await database.query(
    `INSERT INTO takes (${names.join()}) SELECT ${values.join()} FROM takes, seq_1_to_${LIBRARY_TAKES} WHERE id = ?`,
    { replacements: [take] },
  )
  const page = await browser.newPage()
  await page.setViewport({ width: 1280, height: 800 })
  const taken: number[] = []
  for (let round = 0; round < ROUNDS; round++) {
    await page.goto('about:blank')
    const startMs = performance.now()
    await page.goto(address, { waitUntil: 'domcontentloaded' })
    await page.waitForSelector('[data-testid=take-row]')
    taken.push(performance.now() - startMs)
  }
  await page.close()
  await database.query(`DELETE FROM takes WHERE id LIKE 'copy-%'`)
  await database.close()
  return summary(taken)
}
